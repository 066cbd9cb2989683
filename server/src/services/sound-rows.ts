import type { Issue } from '@flagstone/core/errors';
import { AppError } from '@flagstone/core/errors';
import { FIELD_NAMES, type FieldName, type SoundRecord } from '@flagstone/core/record/fields';
import type { SoundPage } from '@flagstone/contract/api';
import type { CopyState, SoundRow } from '@flagstone/contract/record';
import {
  filterSchema,
  type ListFilter,
  type ListQuery,
  type Selection,
  type SortKey,
} from '@flagstone/contract/selection';
import { getTableColumns, sql, type SQL } from 'drizzle-orm';
import { z } from 'zod';
import type { AppContext } from '../app-context.ts';
import type { Queryable } from '../db/connect.ts';
import { records } from '../db/schema.ts';
import { driveIsHere } from './drives.ts';
import { COPY_STATE } from './copy-state.ts';
import { allOf, filterConditions, idList } from './search.ts';

/** Column of the records table for each field. */
export const FIELD_COLUMNS = Object.fromEntries(
  FIELD_NAMES.map((name) => [name, getTableColumns(records)[name].name]),
) as Record<FieldName, string>;

const COLUMNS = sql.join(
  [
    sql`s.id as sound_id, c.id as copy_id, c.name, c.folder, c.size_bytes, c.container, c.track_names, c.issues, c.disagreeing, d.id as drive_id, d.name as drive_name, d.root_path, d.identity`,
    sql`s.codec, s.sample_rate_hz, s.bit_depth, s.channels, s.frames, s.duration_seconds, s.filed_at is not null as filed, a.loudness_lufs, a.true_peak_dbtp, a.channel_layout, a.measures is not null as is_measured, r.revision, ${COPY_STATE} as state`,
    sql`(select count(*) from copies o where o.sound_id = s.id and not o.gone) as copy_count`,
    ...FIELD_NAMES.map((name) => sql.raw(`r."${FIELD_COLUMNS[name]}"`)),
  ],
  sql`, `,
);

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
  state: Exclude<CopyState, 'away'>;
}

type Source = { kind: 'batch'; batchId: number } | { kind: 'catalogue' };

function from(source: Source): SQL {
  return source.kind === 'batch'
    ? sql`batch_items b join copies c on c.id = b.copy_id and b.batch_id = ${source.batchId}
        join sounds s on s.id = c.sound_id join records r on r.sound_id = s.id join drives d on d.id = c.drive_id
        left join analyses a on a.sound_id = s.id`
    : sql`sounds s join records r on r.sound_id = s.id
        join lateral (select * from copies o where o.sound_id = s.id order by o.gone, o.id limit 1) c on s.filed_at is not null
        join drives d on d.id = c.drive_id left join analyses a on a.sound_id = s.id`;
}

/**
 * The catalogue in the order of names: the same rows as above, but beginning at the copies, whose names have an index. From the sounds, a
 * million names would be looked up and sorted for the first page.
 */
const CATALOGUE_BY_NAME = sql`copies c join sounds s on s.id = c.sound_id and s.filed_at is not null join records r on r.sound_id = s.id
  join drives d on d.id = c.drive_id left join analyses a on a.sound_id = s.id`;
const IS_FIRST_COPY = sql`c.id = (select o.id from copies o where o.sound_id = c.sound_id order by o.gone, o.id limit 1)`;

/** What is counted for a total: no row of the catalogue depends on which copy is its first. */
function countedFrom(source: Source): SQL {
  return source.kind === 'batch'
    ? from(source)
    : sql`sounds s join records r on r.sound_id = s.id and s.filed_at is not null
        and exists (select from copies o where o.sound_id = s.id) left join analyses a on a.sound_id = s.id`;
}

const SORTS: Record<SortKey, SQL> = {
  name: sql`lower(c.name)`,
  folder: sql`lower(c.folder || '/' || c.name)`,
  catId: sql`r.cat_id`,
  fxName: sql`lower(r.fx_name)`,
  description: sql`lower(r.description)`,
  keywords: sql`lower(array_to_string(r.keywords, ', '))`,
  state: COPY_STATE,
  library: sql`lower(r.library)`,
  creatorId: sql`r.creator_id`,
  sourceId: sql`r.source_id`,
  length: sql`s.duration_seconds`,
  channels: sql`s.channels`,
  sampleRate: sql`s.sample_rate_hz`,
  bitDepth: sql`s.bit_depth`,
  added: sql`s.id`,
  // What was not measured comes last from loud to quiet, first from quiet to loud.
  loudness: sql`coalesce(a.loudness_lufs, -1000)`,
};

const cursorSchema = z.tuple([z.union([z.string(), z.number()]), z.number()]);

/** One page of a batch or of the catalogue, by key: page one hundred costs what page one costs. */
export async function listRows(app: AppContext, source: Source, query: ListQuery): Promise<SoundPage> {
  const conditions = filterConditions(query, source);
  const [key, id] = [SORTS[query.sort], source.kind === 'batch' ? sql`c.id` : sql`s.id`];
  const descending = query.direction === 'desc';
  const after = query.after === undefined ? [] : [afterCursor(key, id, query.after, descending)];
  const order = descending ? sql`${key} desc, ${id} desc` : sql`${key}, ${id}`;
  const byName = source.kind === 'catalogue' && query.sort === 'name';
  const tables = byName ? CATALOGUE_BY_NAME : from(source);
  const first = byName ? [IS_FIRST_COPY] : [];
  const { rows } = await app.db.execute<DatabaseRow & { cursor_key: string | number; cursor_id: number }>(sql`
    select ${COLUMNS}, ${key} as cursor_key, ${id} as cursor_id from ${tables}
    where ${allOf([...conditions, ...first, ...after])} order by ${order} limit ${query.limit + 1}`);
  const total = await app.db.execute<{ count: number }>(
    sql`select count(*) from ${countedFrom(source)} where ${allOf(conditions)}`,
  );
  const page = rows.slice(0, query.limit);
  const last = rows.length > query.limit ? page.at(-1) : undefined;
  return {
    rows: await toSoundRows(page),
    next: last ? Buffer.from(JSON.stringify([last.cursor_key, last.cursor_id])).toString('base64url') : null,
    total: total.rows[0]?.count ?? 0,
  };
}

function afterCursor(key: SQL, id: SQL, cursor: string, descending: boolean): SQL {
  let parsed: z.infer<typeof cursorSchema>;
  try {
    parsed = cursorSchema.parse(JSON.parse(Buffer.from(cursor, 'base64url').toString()));
  } catch (cause) {
    throw new AppError('BAD_REQUEST', 'The page mark is not one that this list gave.', { cause });
  }
  return descending
    ? sql`(${key}, ${id}) < (${parsed[0]}, ${parsed[1]})`
    : sql`(${key}, ${id}) > (${parsed[0]}, ${parsed[1]})`;
}

/** The row of one sound, for the card; `copyId` chooses the copy, else the first. */
export async function rowOfSound(app: AppContext, soundId: number): Promise<SoundRow | undefined> {
  const { rows } = await app.db.execute<DatabaseRow>(sql`
    select ${COLUMNS} from sounds s join records r on r.sound_id = s.id
    join lateral (select * from copies o where o.sound_id = s.id order by o.gone, o.id limit 1) c on true
    join drives d on d.id = c.drive_id left join analyses a on a.sound_id = s.id where s.id = ${soundId}`);
  return (await toSoundRows(rows))[0];
}

/** All copies of a sound, as rows. */
export async function copiesOfSound(app: AppContext, soundId: number): Promise<SoundRow[]> {
  const { rows } = await app.db.execute<DatabaseRow>(sql`
    select ${COLUMNS} from copies c join sounds s on s.id = c.sound_id join records r on r.sound_id = s.id
    join drives d on d.id = c.drive_id left join analyses a on a.sound_id = s.id where s.id = ${soundId} and c.cleared_at is null order by c.gone, c.id`);
  return toSoundRows(rows);
}

/** The rows of a selection in the order of their copies' numbers, in pages, so that a hundred thousand are never held at once. */
export async function* selectedRows(
  db: Queryable,
  selection: Selection,
  pageSize = 1000,
  afterCopyId = 0,
): AsyncGenerator<SoundRow[]> {
  const { tables, conditions } = selectionParts(selection);
  let after = afterCopyId;
  for (;;) {
    const { rows } = await db.execute<DatabaseRow>(sql`
      select ${COLUMNS} from ${tables} where ${allOf([...conditions, sql`c.id > ${after}`])} order by c.id limit ${pageSize}`);
    const last = rows.at(-1);
    if (!last) return;
    after = last.copy_id;
    yield await toSoundRows(rows);
  }
}

/** The place of each copy of a selection in the order of paths, from 0. */
export async function placesByPath(db: Queryable, selection: Selection): Promise<Map<number, number>> {
  const { tables, conditions } = selectionParts(selection);
  const { rows } = await db.execute<{ id: number }>(
    sql`select c.id from ${tables} where ${allOf(conditions)} order by ${SORTS.folder}, c.id`,
  );
  return new Map(rows.map(({ id }, place) => [id, place]));
}

/** The tables of a selection, `c` being its copies, and the conditions that narrow them. */
export function selectionParts(selection: Selection): { tables: SQL; conditions: SQL[] } {
  if (selection.kind === 'copies') {
    const tables = sql`copies c join sounds s on s.id = c.sound_id join records r on r.sound_id = s.id join drives d on d.id = c.drive_id
      left join analyses a on a.sound_id = s.id`;
    return { tables, conditions: [sql`c.id = any(${idList(selection.copyIds)})`] };
  }
  const filter: ListFilter = selection.filter ?? filterSchema.parse({});
  const conditions = filterConditions(filter, selection);
  // From the copies, whose numbers have an index: from the sounds, each page would go through the whole catalogue.
  return selection.kind === 'catalogue'
    ? { tables: CATALOGUE_BY_NAME, conditions: [...conditions, IS_FIRST_COPY] }
    : { tables: from(selection), conditions };
}

async function toSoundRows(rows: readonly DatabaseRow[]): Promise<SoundRow[]> {
  const here = new Map<string, boolean>();
  for (const { root_path: rootPath, identity } of rows)
    if (!here.has(identity)) here.set(identity, await driveIsHere({ rootPath, identity }));
  return rows.map((row) => {
    const value = row as unknown as Record<string, never>;
    return {
      soundId: row.sound_id,
      copyId: row.copy_id,
      name: row.name,
      folder: row.folder,
      driveId: String(row['drive_id']),
      driveName: row.drive_name,
      sizeBytes: Number(row['size_bytes']),
      facts: {
        container: String(row['container']),
        codec: String(row['codec']),
        sampleRateHz: Number(row['sample_rate_hz']),
        bitDepth: Number(row['bit_depth']),
        channels: Number(row['channels']),
        frames: Number(row['frames']),
        durationSeconds: Number(row['duration_seconds']),
        trackNames: row['track_names'] as string[],
      },
      record: Object.fromEntries(
        FIELD_NAMES.map((name) => [name, value[FIELD_COLUMNS[name]]]),
      ) as unknown as SoundRecord,
      revision: Number(row['revision']),
      state: here.get(row.identity) ? row.state : 'away',
      copyCount: Number(row['copy_count']),
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
    };
  });
}
