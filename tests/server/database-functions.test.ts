import { afterAll, afterEach, beforeAll, describe, expect, it } from '@jest/globals';
import { copyState } from '@flagstone/core/record/copy-states';
import pg from 'pg';
import { connect } from '@flagstone/server/db/connect';
import { applyFunctions, functionFiles } from '@flagstone/server/db/functions';
import { newDatabase } from './new-database.ts';

let owner: pg.Client;

beforeAll(async () => {
  const address = await newDatabase(`functions_${process.pid}`, 'empty');
  await (await connect(address)).close();
  owner = new pg.Client(address);
  await owner.connect();
});
afterAll(() => owner.end());
/** Trials leave nothing. */
afterEach(() =>
  owner.query(`
    drop function if exists flagstone_trial(); drop table if exists a_table_to_come cascade;
    delete from drizzle.applied_functions where name in ('flagstone_trial', 'flagstone_later')`),
);

async function ofDatabase<Row extends pg.QueryResultRow>(columns: string, condition = 'true'): Promise<Row[]> {
  const { rows } = await owner.query<Row>(`
    select ${columns} from pg_proc p where pronamespace = 'public'::regnamespace and starts_with(proname, 'flagstone_') and ${condition} order by 1`);
  return rows;
}

describe('the functions of the database', () => {
  it('have one home each, by their name', async () => {
    const made = await ofDatabase<{ proname: string }>('distinct proname');
    expect(made.map(({ proname }) => proname)).toEqual((await functionFiles()).map((file) => file.name));
  });

  it('are not called immutable when they read tables: what they say of the same arguments changes with these', async () => {
    const reading = `provolatile = 'i' and exists (select from pg_tables t where schemaname = 'public' and p.prosrc ~* ('\\m(from|join)\\s+' || t.tablename || '\\M'))`;
    expect(await ofDatabase('proname', reading)).toEqual([]);
  });

  it('are made anew when their text changes, and only then', async () => {
    const text = (says: string): string =>
      `create or replace function flagstone_trial() returns text language sql as $$ select '${says}' $$;`;
    const file = (says: string) => ({ name: 'flagstone_trial', text: text(says), digest: says });
    const said = async (): Promise<unknown> => (await owner.query('select flagstone_trial() as said')).rows[0];
    expect(await applyFunctions(owner, [file('one')])).toEqual([]);
    expect(await said()).toEqual({ said: 'one' });
    await owner.query(text('by hand'));
    await applyFunctions(owner, [file('one')]);
    expect(await said()).toEqual({ said: 'by hand' });
    await applyFunctions(owner, [file('two')]);
    expect(await said()).toEqual({ said: 'two' });
  });

  it('wait for the tables that they take rows of, and stay as they are when their text is at fault', async () => {
    const taking = {
      name: 'flagstone_later',
      digest: 'first',
      text: 'create or replace function flagstone_later(r a_table_to_come) returns int language sql as $$ select r.number $$;',
    };
    expect(await applyFunctions(owner, [taking])).toEqual(['flagstone_later']);
    await owner.query('create table a_table_to_come (number int)');
    expect(await applyFunctions(owner, [taking])).toEqual([]);
    const faulty = { ...taking, digest: 'second', text: 'create or replace function flagstone_later( returns int' };
    await expect(applyFunctions(owner, [faulty])).rejects.toThrow('The function flagstone_later cannot be made');
    const { rows } = await owner.query(`select digest from drizzle.applied_functions where name = 'flagstone_later'`);
    expect(rows).toEqual([{ digest: 'first' }]);
  });
});

describe('the state of a copy', () => {
  it('is the same to the database as to everybody else', async () => {
    const all = [true, false].flatMap((gone) =>
      [true, false].flatMap((changedOutside) =>
        [1, 2, 3].map((carriesRevision) => ({ gone, changedOutside, carriesRevision })),
      ),
    );
    for (const facts of all) {
      const { rows } = await owner.query('select flagstone_state($1, $2, $3, 2) as state', Object.values(facts));
      expect([facts, rows[0]]).toEqual([facts, { state: copyState(facts, 2) }]);
    }
  });
});
