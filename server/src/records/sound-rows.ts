import path from 'node:path';
import { compareQuality, qualityBeside, type Quality } from '@flagstone/core/audio/quality';
import type { Issue } from '@flagstone/core/errors';
import { FIELD_NAMES, type FieldName, type SoundRecord } from '@flagstone/core/record/fields';
import type { SoundMark } from '@flagstone/contract/marks';
import type { CopyState, SoundRow } from '@flagstone/contract/record';
import type { Proposal } from '@flagstone/contract/proposal';
import { filterSchema } from '@flagstone/contract/selection';
import { getTableColumns, sql, type SQL } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import type { Queryable } from '../db/connect.ts';
import { PREPARED } from '../db/prepared-statements.ts';
import { records } from '../db/schema.ts';
import type { Sight } from '../rights/rights.ts';
import { copyIsSeen, seenOf, type SeenSelection } from '../rights/seen.ts';
import { driveIsHere } from '../drives/drives.ts';
import { COPY_STATE, copyConditions, type CopyFilter } from './copy-state.ts';
import { allOf, idList } from '../db/sql-parts.ts';
import { otherForms } from './held-in-another-form.ts';
import { filterConditions } from './search-conditions.ts';

/** Column of the records table for each field. */
export const FIELD_COLUMNS = Object.fromEntries(
  FIELD_NAMES.map((name) => [name, getTableColumns(records)[name].name]),
) as Record<FieldName, string>;

const columnsFor = (sight: Sight): SQL =>
  sql.join(
    [
      sql`s.id as sound_id, c.id as copy_id, c.name, c.folder, c.size_bytes, c.container, c.track_names, c.issues, c.disagreeing, d.id as drive_id, d.name as drive_name, d.root_path, d.identity`,
      sql`s.codec, s.sample_rate_hz, s.bit_depth, s.channels, s.frames, s.duration_seconds, s.is_cut_short, s.filed_at is not null as filed, a.loudness_lufs, a.true_peak_dbtp, a.channel_layout, a.measures is not null as is_measured, r.revision, ${COPY_STATE} as state, c.damaged_at is not null as damaged`,
      sql`(select count(*) from copies o where o.sound_id = s.id and not o.gone and ${copyIsSeen(sight, sql`o.read_folder_id`)}) as copy_count,
        (select w.collection_id from folders w where w.id = c.read_folder_id) as collection_id`,
      sql`(select v.uses from search_rows v where v.sound_id = s.id) as uses`,
      sql`(select coalesce(jsonb_agg(jsonb_build_object('personId', m.person_id, 'person', p.name, 'rating', m.rating, 'favourite', m.favourite,
      'tags', m.tags, 'note', m.note) order by m.person_id), '[]') from sound_marks m join people p on p.id = m.person_id
      where m.sound_id = s.id) as marks`,
      sql`(select coalesce(jsonb_agg(jsonb_build_object('id', w.id, 'personId', w.person_id, 'person', p.name, 'field', w.field, 'before', w.before,
      'value', w.value, 'at', w.created_at) order by w.id), '[]') from proposals w join people p on p.id = w.person_id
      where w.sound_id = s.id and w.state = 'waiting') as proposals,
      (select count(*) from remarks k where k.sound_id = s.id and k.removed_at is null)::int as remarks`,
      sql`(select jsonb_agg(jsonb_build_object('soundId', o.id, 'isCertain', e.is_certain, 'codec', o.codec, 'sampleRateHz', o.sample_rate_hz,
      'bitDepth', o.bit_depth, 'channels', o.channels) order by o.id) ${otherForms(sql`s.id`, sight)}) as others`,
      // One piece, not sixty: this is put together for every page.
      sql.raw(FIELD_NAMES.map((name) => `r."${FIELD_COLUMNS[name]}"`).join(', ')),
    ],
    sql`, `,
  );

/** Another sound that holds the same recording. */
interface OtherForm extends Quality {
  soundId: number;
  isCertain: boolean;
}

export interface DatabaseRow extends Record<string, unknown> {
  sound_id: number;
  copy_id: number;
  name: string;
  folder: string;
  root_path: string;
  identity: string;
  drive_name: string;
  issues: Issue[];
  disagreeing: FieldName[];
  marks: SoundMark[];
  proposals: Proposal[];
  remarks: number;
  others: OtherForm[] | null;
  state: Exclude<CopyState, 'away'>;
}

/** The tables of a batch's rows; `c` is the copy. */
export function batchTables(batchId: number): SQL {
  return sql`batch_items b join copies c on c.id = b.copy_id and b.batch_id = ${batchId} join search_rows f on f.sound_id = c.sound_id
    join sounds s on s.id = c.sound_id join records r on r.sound_id = s.id join drives d on d.id = c.drive_id
    left join analyses a on a.sound_id = s.id`;
}

/** The tables of the catalogue's rows from their copies, of which only the first of each sound counts. */
const CATALOGUE_COPIES = sql`copies c join search_rows f on f.sound_id = c.sound_id and f.filed join sounds s on s.id = c.sound_id
  join records r on r.sound_id = s.id join drives d on d.id = c.drive_id left join analyses a on a.sound_id = s.id`;
const isFirstCopy = (sight: Sight): SQL =>
  sql`c.id = (select o.id from copies o where o.sound_id = c.sound_id and ${copyIsSeen(sight, sql`o.read_folder_id`)} order by o.gone, o.id limit 1)`;

/** Of the copies of a sound in the catalogue those that a filter asks for, of one that asks nothing of copies the first. */
function copiesMeant(filter: CopyFilter, sight: Sight): SQL[] {
  const asked = copyConditions(filter, sql`c`);
  return asked.length > 0 ? [...asked, copyIsSeen(sight)] : [isFirstCopy(sight)];
}

/**
 * The rows of copies or of sounds (their first copies, or the first that a filter asks for) in the order of the numbers that are given; those that are not seen are left
 * out.
 */
export async function rowsInOrder(
  db: Queryable,
  of: 'copies' | 'sounds',
  ids: readonly number[],
  sight: Sight,
  filter?: CopyFilter,
): Promise<SoundRow[]> {
  if (ids.length === 0) return [];
  const asked = filter ? copyConditions(filter, sql`o`) : [];
  // What stands otherwise since the list was made is shown by its first copy.
  const first = asked.length > 0 ? sql`not (${allOf(asked)}), o.gone, o.id` : sql`o.gone, o.id`;
  const copy =
    of === 'copies'
      ? sql`join copies c on c.id = i.id and ${copyIsSeen(sight)}`
      : sql`join lateral (select * from copies o where o.sound_id = i.id and ${copyIsSeen(sight, sql`o.read_folder_id`)}
          order by ${first} limit 1) c on true`;
  const { rows } = await db.execute<DatabaseRow>(sql`${PREPARED}
    select ${columnsFor(sight)} from unnest(${idList(ids)}) with ordinality i(id, place) ${copy} join sounds s on s.id = c.sound_id
    join records r on r.sound_id = s.id join drives d on d.id = c.drive_id left join analyses a on a.sound_id = s.id order by i.place`);
  return toSoundRows(rows);
}

/** The row of one sound, for the card, with its first copy. */
export async function rowOfSound(app: AppContext, soundId: number, sight: Sight): Promise<SoundRow | undefined> {
  return (await rowsInOrder(app.db, 'sounds', [soundId], sight))[0];
}

/** All copies of a sound that are seen, as rows. */
export async function copiesOfSound(app: AppContext, soundId: number, sight: Sight): Promise<SoundRow[]> {
  const { rows } = await app.db.execute<DatabaseRow>(sql`
    select ${columnsFor(sight)} from copies c join sounds s on s.id = c.sound_id join records r on r.sound_id = s.id
    join drives d on d.id = c.drive_id left join analyses a on a.sound_id = s.id where s.id = ${soundId} and c.cleared_at is null and ${copyIsSeen(sight)} order by c.gone, c.id`);
  return toSoundRows(rows);
}

/** Where copies lie on the machine of their drive, ready to paste. */
export async function fullPathsOf(db: Queryable, copyIds: readonly number[]): Promise<Map<number, string>> {
  const { rows } = await db.execute<{ id: number; root_path: string; folder: string; name: string }>(sql`
    select c.id, d.root_path, c.folder, c.name from copies c join drives d on d.id = c.drive_id where c.id = any(${idList(copyIds)})`);
  return new Map(rows.map((row) => [row.id, path.join(row.root_path, row.folder, row.name)]));
}

/** The rows of a selection by copy id, in keyset pages, so that a hundred thousand are never in memory at once. */
export async function* selectedRows(
  db: Queryable,
  selection: SeenSelection,
  pageSize = 1000,
  afterCopyId = 0,
): AsyncGenerator<SoundRow[]> {
  const { tables, conditions } = selectionParts(selection);
  let after = afterCopyId;
  for (;;) {
    const { rows } = await db.execute<DatabaseRow>(sql`
      select ${columnsFor(selection.seenBy)} from ${tables} where ${allOf([...conditions, sql`c.id > ${after}`])} order by c.id limit ${pageSize}`);
    const last = rows.at(-1);
    if (!last) return;
    after = last.copy_id;
    yield await toSoundRows(rows);
  }
}

/** The place of each copy of a selection in the order of paths, from 0. */
export async function placesByPath(db: Queryable, selection: SeenSelection): Promise<Map<number, number>> {
  const { tables, conditions } = selectionParts(selection);
  const { rows } = await db.execute<{ id: number }>(
    sql`select c.id from ${tables} where ${allOf(conditions)} order by lower(c.folder || '/' || c.name), c.id`,
  );
  return new Map(rows.map(({ id }, place) => [id, place]));
}

/** The tables of a selection, `c` being its copies, and the conditions that narrow them. */
export function selectionParts(selection: SeenSelection): { tables: SQL; conditions: SQL[] } {
  const { seenBy } = selection;
  if (selection.kind === 'copies') {
    const tables = sql`copies c join sounds s on s.id = c.sound_id join records r on r.sound_id = s.id join drives d on d.id = c.drive_id
      left join analyses a on a.sound_id = s.id`;
    return { tables, conditions: [sql`c.id = any(${idList(selection.copyIds)})`, copyIsSeen(seenBy)] };
  }
  const filter = { ...(selection.filter ?? filterSchema.parse({})), ...seenOf(selection) };
  const conditions = filterConditions(filter, selection);
  // Driven from the copies, whose ids have an index: from the sounds, each page would scan the whole catalogue.
  return selection.kind === 'catalogue'
    ? { tables: CATALOGUE_COPIES, conditions: [...conditions, ...copiesMeant(filter, seenBy)] }
    : { tables: batchTables(selection.batchId), conditions };
}

/** Drives that are being looked for: pages that are read at the same time look once. */
const looking = new Map<string, Promise<boolean>>();

function isHere({ root_path: rootPath, identity }: DatabaseRow): Promise<boolean> {
  const key = JSON.stringify([rootPath, identity]);
  const look = looking.get(key) ?? driveIsHere({ rootPath, identity }).finally(() => looking.delete(key));
  looking.set(key, look);
  return look;
}

function recordOf(row: DatabaseRow): SoundRecord {
  const record: Record<string, unknown> = {};
  for (const name of FIELD_NAMES) record[name] = row[FIELD_COLUMNS[name]];
  return record as unknown as SoundRecord;
}

function factsOf(row: DatabaseRow): SoundRow['facts'] {
  return {
    container: String(row['container']),
    codec: String(row['codec']),
    sampleRateHz: Number(row['sample_rate_hz']),
    bitDepth: Number(row['bit_depth']),
    channels: Number(row['channels']),
    frames: Number(row['frames']),
    durationSeconds: Number(row['duration_seconds']),
    trackNames: row['track_names'] as string[],
    isCutShort: Boolean(row['is_cut_short']),
  };
}

/** How the best of the other forms of a recording compares with one that is on show. */
function heldAs(shown: Quality, others: readonly OtherForm[]): SoundRow['heldAs'] {
  const [best, ...rest] = others;
  if (!best) return null;
  const { soundId, isCertain, ...quality } = rest.reduce(
    (most, each) => (compareQuality(each, most) > 0 ? each : most),
    best,
  );
  return { soundId, isCertain, quality: qualityBeside(quality, shown) };
}

async function toSoundRows(rows: readonly DatabaseRow[]): Promise<SoundRow[]> {
  const here = new Map<string, boolean>();
  for (const row of rows) if (!here.has(row.identity)) here.set(row.identity, await isHere(row));
  return rows.map((row) => {
    const facts = factsOf(row);
    return {
      soundId: row.sound_id,
      copyId: row.copy_id,
      name: row.name,
      folder: row.folder,
      driveId: String(row['drive_id']),
      driveName: row.drive_name,
      sizeBytes: Number(row['size_bytes']),
      facts,
      record: recordOf(row),
      revision: Number(row['revision']),
      state: here.get(row.identity) ? row.state : 'away',
      isDamaged: Boolean(row['damaged']),
      copyCount: Number(row['copy_count']),
      collectionId: row['collection_id'] as number | null,
      filed: Boolean(row['filed']),
      issues: row.issues,
      disagreeing: row.disagreeing,
      measured: row['is_measured']
        ? {
            loudnessLufs: row['loudness_lufs'] as number | null,
            truePeakDbtp: row['true_peak_dbtp'] as number | null,
            channelLayout: String(row['channel_layout']),
          }
        : null,
      marks: row.marks,
      proposals: row.proposals,
      remarks: row.remarks,
      heldAs: heldAs(facts, row.others ?? []),
      uses: Number(row['uses'] ?? 0),
    };
  });
}
