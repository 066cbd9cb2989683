import { connect } from '@flagstone/server/db/connect';
import { beforeEach, describe, expect, it } from '@jest/globals';
import pg from 'pg';
import { newDatabase } from './new-database.ts';

/** What takes a database back to where the first migration leaves it: each one since has its line here. */
const BEFORE_THE_SECOND = [
  'drop table backup_schedule',
  `drop table arrival_files, arrivals, left_out, removed_sounds, removals; alter table batch_items drop is_moved; alter table batches drop given_to, drop part_of;
   alter table collections drop landing_drive_id, drop landing_folder, drop shelf_drive_id, drop shelf_folder, drop shelf_template`,
  // Of what no table has to be taken back.
  'select 1',
  'drop table copy_out_tickets',
  `drop table sessions, sign_in_links, api_tokens, passkeys, passkey_challenges, sign_in_failures, audit_log;
   alter table people drop account, drop password_hash, drop is_administrator, drop created_at, drop ended_at`,
  `drop trigger folders_of_other_collections on folders; drop index search_rows_sample; drop index collection_people_person;
   drop table collection_sets, presence; alter table known_words drop collection_set, add constraint known_words_pkey primary key (word);
   alter table search_rows drop collection_set; alter table collection_people drop role; alter table jobs drop collection_ids;
   alter table changes drop transaction; create index search_rows_sample on search_rows (sound_id);
   create index search_rows_category on search_rows (category)`,
  'drop table proposals; alter table collections drop column asks_review',
  'drop table remark_mentions; drop table remarks',
  `drop trigger copies_drift_added on copies; drop trigger copies_drift_changed on copies; drop trigger copies_drift_removed on copies;
   drop trigger records_drift_changed on records; drop trigger sounds_drift_filed on sounds; drop table drift_counts, drift_days;
   alter table copies drop proved_at`,
  'drop table settling_rules',
  `drop table house_people, sheet_part_lines, told_rows, told_bases, told_revisions; alter table acts drop done_by, drop run_id;
   create index acts_person on acts (person_id, id)`,
  `drop table sheet_items, sheets, sheet_bases, sheets_sent, sheets_made, known_houses; drop index journal_former_name; drop index changes_run;
   alter table installation drop house_id, drop house_name, drop signing_key`,
  'alter table copies drop damaged_at, drop damage; alter table drives drop proof, drop proof_queued_at',
  'drop table same_recordings, fingerprints',
  'alter table copies drop other_texts',
  'alter table pull_lists drop notes',
  'drop table delivery_items, delivery_decisions, deliveries, delivery_profiles; alter table copies_out drop delivery; alter table authorities drop terms',
  'delete from drizzle.__drizzle_migrations where id > (select min(id) from drizzle.__drizzle_migrations)',
];

let count = 0;
let address = '';

/** A database of this version, whose owner is asked to make it look as one before left it. */
async function databaseAs(...statements: string[]): Promise<void> {
  await (await connect(address)).close();
  const owner = new pg.Client(address);
  await owner.connect();
  for (const statement of statements) await owner.query(statement);
  await owner.end();
}

beforeEach(async () => {
  address = await newDatabase(`upgrade_${process.pid}_${++count}`, 'empty');
});

describe('a database of before', () => {
  it('is opened when it had the last of the migrations that were joined: its rows stay, its functions are known from then on', async () => {
    await databaseAs(
      `insert into people (name, initials) values ('Orla Venn', 'OV')`,
      ...BEFORE_THE_SECOND,
      'drop table drizzle.applied_functions',
      // Of the joined migrations each had its row; the time of the last one is the time of the one that they became.
      `insert into drizzle.__drizzle_migrations (hash, created_at) select 'one before', created_at - 1000 from drizzle.__drizzle_migrations`,
    );
    const told: number[] = [];
    const { db, close } = await connect(address, (migrations) => told.push(migrations));
    // What came after the joined ones is told of, and made.
    expect(told).toEqual([BEFORE_THE_SECOND.length - 1]);
    const { rows } = await db.execute('select name from people');
    expect(rows).toEqual([{ name: 'Orla Venn' }]);
    // Who could do everything can do everything.
    const { rows: roles } = await db.execute('select person_id, role from collection_people');
    expect(roles).toEqual([{ person_id: 1, role: 'librarian' }]);
    await close();
  });

  it('is refused, and left as it is, when it is older than that', async () => {
    await databaseAs(...BEFORE_THE_SECOND, 'update drizzle.__drizzle_migrations set created_at = created_at - 1000');
    await expect(connect(address)).rejects.toMatchObject({ code: 'DATABASE_TOO_OLD' });
  });

  it('is refused, with its functions as they are, by a version that is older than it', async () => {
    await databaseAs(
      `insert into drizzle.__drizzle_migrations (hash, created_at) select 'to come', max(created_at) + 1000 from drizzle.__drizzle_migrations`,
      `update drizzle.applied_functions set digest = 'of a newer version'`,
    );
    await expect(connect(address)).rejects.toMatchObject({ code: 'DATABASE_TOO_NEW' });
    const owner = new pg.Client(address);
    await owner.connect();
    const { rows } = await owner.query('select distinct digest from drizzle.applied_functions');
    await owner.end();
    expect(rows).toEqual([{ digest: 'of a newer version' }]);
  });

  it('is told of the migrations that it lacks before they run', async () => {
    const told: number[] = [];
    await (await connect(address, (migrations) => told.push(migrations))).close();
    await (await connect(address, (migrations) => told.push(migrations))).close();
    // A new one lacks nothing, and neither does one that is up to date.
    expect(told).toEqual([]);
  });
});
