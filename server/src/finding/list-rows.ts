import type { SoundPage, SoundRow } from '@flagstone/contract/record';
import type { HitCount } from '@flagstone/contract/facets';
import {
  listQuerySchema,
  sortKeysOf,
  type ListOrder,
  type ListQuery,
  type SortKey,
} from '@flagstone/contract/selection';
import { sql, type SQL } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import { seenOf, type SeenQuery, type SeenSelection } from '../rights/seen.ts';
import { COPY_STATE } from '../records/copy-state.ts';
import { countHits } from './count-hits.ts';
import { columnsOf, firstRows, sortedBy, type KeyRow, type Order, type SortColumns } from './first-rows.ts';
import { keysSchema, pageOf, readMark, type PageOfIds } from './keyset-page.ts';
import { relevantPage } from './relevance.ts';
import { planOf, WAYS_THROUGH_ALL, type SearchPlan } from './search-plan.ts';
import { allOf } from '../db/sql-parts.ts';
import { catalogueTables, conditionsNow, filterConditions, isNarrow } from '../records/search-conditions.ts';
import { snapshotNow } from '../records/edit-conflicts.ts';
import { batchTables, rowsInOrder } from '../records/sound-rows.ts';

type Source = { kind: 'batch'; batchId: number } | { kind: 'catalogue' };

/** Columns of search rows `f` and records `r`, for which the catalogue has indexes, in a batch also of copies `c`. */
function sortColumn(key: SortKey, isCatalogue: boolean, seed: number): SQL {
  const columns: Record<SortKey, SQL> = {
    // Without words nothing is more relevant than what is well described.
    relevance: sql`f.merit`,
    name: isCatalogue ? sql`f.name` : sql`lower(c.name)`,
    folder: isCatalogue ? sql`f.path` : sql`lower(c.folder || '/' || c.name)`,
    catId: sql`f.cat_id`,
    fxName: sql`f.fx_name`,
    description: sql`lower(left(r.description, 60))`,
    keywords: sql`flagstone_list(r.keywords)`,
    state: isCatalogue ? sql`f.state` : COPY_STATE,
    library: sql`lower(f.library)`,
    creatorId: sql`left(r.creator_id, 60)`,
    sourceId: sql`left(r.source_id, 60)`,
    length: sql`f.duration_seconds`,
    channels: sql`f.channels`,
    sampleRate: sql`f.sample_rate_hz`,
    bitDepth: sql`f.bit_depth`,
    added: sql`f.sound_id`,
    // What was not measured comes last from loud to quiet, first from quiet to loud.
    loudness: sql`coalesce(f.loudness_lufs, -1000)`,
    rating: sql`coalesce(f.rating, 0)`,
    uses: sql`f.uses`,
    // As much of the hash as a number holds in JavaScript.
    shuffle: sql`hashint8extended(f.sound_id, ${seed}) & ${Number.MAX_SAFE_INTEGER}::bigint`,
  };
  return columns[key];
}

/** SortColumns that are columns of the record. */
const OF_RECORD: readonly SortKey[] = ['description', 'keywords', 'creatorId', 'sourceId'];

/** One keyset page of a batch or of the catalogue: page one hundred costs what page one costs. The first page has the total. */
export async function listRows(app: AppContext, source: Source, query: SeenQuery): Promise<SoundPage> {
  // Taken before anything is read: what changes while the page is made counts as changed after it.
  const snapshot = await snapshotNow(app.db);
  const [page, counted] = await (source.kind === 'catalogue'
    ? cataloguePage(app, query)
    : batchPage(app, source.batchId, query));
  return {
    rows: await rowsInOrder(app.db, source.kind === 'catalogue' ? 'sounds' : 'copies', page.ids, query.seenBy, query),
    next: page.next,
    total: counted?.count ?? null,
    isApproximate: counted?.isApproximate ?? false,
    snapshot,
  };
}

/** Rows that are read together when a list is gone through as a whole. */
const ROWS_AT_ONCE = 500;

/**
 * All rows of a selection in the order of the list that it comes from, page by page. What is most relevant is asked for as the list does; every other order
 * is worked out once, as numbers.
 */
export async function* rowsInListOrder(
  app: AppContext,
  selection: SeenSelection,
  order: ListOrder,
): AsyncGenerator<SoundRow[]> {
  const { seenBy } = selection;
  if (selection.kind === 'copies') {
    for (let at = 0; at < selection.copyIds.length; at += ROWS_AT_ONCE)
      yield await rowsInOrder(app.db, 'copies', selection.copyIds.slice(at, at + ROWS_AT_ONCE), seenBy);
    return;
  }
  const asked = listQuerySchema.parse({ ...selection.filter, ...order, limit: ROWS_AT_ONCE, count: 'free' });
  const query = { ...asked, ...seenOf(selection) };
  const isCatalogue = selection.kind === 'catalogue';
  if (isCatalogue && query.sort === 'relevance' && query.q !== '') {
    for (let after: string | undefined, page: SoundPage; ; after = page.next ?? undefined) {
      page = await listRows(app, { kind: 'catalogue' }, after === undefined ? query : { ...query, after });
      yield page.rows;
      if (page.next === null) return;
    }
  }
  const ids = isCatalogue ? await catalogueIds(app, query) : await batchIds(app, selection.batchId, query);
  for (let at = 0; at < ids.length; at += ROWS_AT_ONCE)
    yield await rowsInOrder(
      app.db,
      isCatalogue ? 'sounds' : 'copies',
      [...ids.subarray(at, at + ROWS_AT_ONCE)],
      seenBy,
      query,
    );
}

async function catalogueIds(app: AppContext, query: SeenQuery): Promise<Float64Array> {
  const withRecord = sortKeysOf(query).some(({ key }) => OF_RECORD.includes(key));
  const keys = keysOf(query, (key) => sortColumn(key, true, query.seed), sql`f.sound_id`);
  return idsInOrder(
    app,
    sql`f.sound_id`,
    catalogueTables(withRecord),
    (await conditionsNow(app.db, query))(query),
    keys,
  );
}

async function batchIds(app: AppContext, batchId: number, query: SeenQuery): Promise<Float64Array> {
  const keys = keysOf(query, (key) => sortColumn(key, false, query.seed), sql`c.id`);
  return idsInOrder(app, sql`c.id`, batchTables(batchId), filterConditions(query, { kind: 'batch' }), keys);
}

/** Ids as one string: a million result rows would need ten times the memory. */
async function idsInOrder(
  app: AppContext,
  id: SQL,
  tables: SQL,
  conditions: readonly SQL[],
  keys: SortColumns,
): Promise<Float64Array> {
  const { rows } = await app.db.execute<{ ids: string | null }>(sql`
    select string_agg(i.id::text, ',') as ids from (select ${id} as id, ${columnsOf(keys)} from ${tables} where ${allOf([...conditions])} order by ${sortedBy(keys)}) i`);
  const text = rows[0]?.ids ?? '';
  return text === '' ? new Float64Array(0) : Float64Array.from(text.split(','), Number);
}

type CountedPage = [PageOfIds, HitCount | undefined];

async function cataloguePage(app: AppContext, query: SeenQuery): Promise<CountedPage> {
  const isFirst = query.after === undefined;
  const plan = isNarrow(query) ? await planOf(app, query) : undefined;
  // All of few have to be looked at anyway to put them in order. Else it is counted beside: whoever waits for both waits for the longer one.
  const isCounted = isFirst && plan?.isFew === true;
  const counting = async (): Promise<HitCount | undefined> =>
    !isFirst || isCounted || query.count === 'free' ? undefined : countHits(app, query);
  const paging = async (): Promise<PageOfIds> =>
    (query.sort === 'relevance' && plan ? await relevantPage(app, query, plan) : undefined) ??
    catalogueInOrder(app, query, plan);
  const [page, counted] = await Promise.all([paging(), counting()]);
  // A sample says little of the few that PostgreSQL did not expect to be few: a phrase of two frequent words.
  const total = page.total ?? (isFirst && page.next === null ? page.ids.length : undefined);
  if (total !== undefined) return [page, { count: total, isApproximate: false }];
  // There were not as few as expected.
  return [page, counted ?? (isFirst && query.count === 'always' ? await countHits(app, query) : undefined)];
}

/** A page of the catalogue by the keys that are asked for. */
async function catalogueInOrder(app: AppContext, query: SeenQuery, plan: SearchPlan | undefined): Promise<PageOfIds> {
  const wanted = sortKeysOf(query);
  const withRecord = wanted.some(({ key }) => OF_RECORD.includes(key));
  // The number stands in the same index as what is sorted by.
  const keys = keysOf(
    query,
    (key) => sortColumn(key, true, query.seed),
    withRecord ? sql`r.sound_id` : sql`f.sound_id`,
  );
  const order: Order = { keys, beyond: beyondMark(query, keys), withRecord };
  const conditions = (plan?.conditionsOf ?? (await conditionsNow(app.db, query)))(query);
  const hasIndex = wanted.length === 1 && wanted[0]?.key !== 'shuffle';
  const ways = (plan?.inOrder ?? WAYS_THROUGH_ALL).filter(({ by }) => hasIndex || by !== 'walk');
  const { rows, total } = await firstRows(app, ways, order, conditions, query.limit + 1);
  const page = pageOf(valuesOf(rows, keys), query.limit);
  return total !== undefined && query.after === undefined ? { ...page, total } : page;
}

async function batchPage(app: AppContext, batchId: number, query: SeenQuery): Promise<CountedPage> {
  const conditions = filterConditions(query, { kind: 'batch' });
  const counting = async (): Promise<HitCount> => {
    const { rows } = await app.db.execute<{ count: number }>(
      sql`select count(*) from ${batchTables(batchId)} where ${allOf(conditions)}`,
    );
    return { count: rows[0]?.count ?? 0, isApproximate: false };
  };
  return Promise.all([
    batchInOrder(app, batchId, query, conditions),
    query.after === undefined ? counting() : undefined,
  ]);
}

async function batchInOrder(
  app: AppContext,
  batchId: number,
  query: SeenQuery,
  conditions: readonly SQL[],
): Promise<PageOfIds> {
  const keys = keysOf(query, (key) => sortColumn(key, false, query.seed), sql`c.id`);
  const { rows } = await app.db.execute<KeyRow>(sql`
    select ${columnsOf(keys)} from ${batchTables(batchId)} where ${allOf([...conditions, ...beyondMark(query, keys)])}
    order by ${sortedBy(keys)} limit ${query.limit + 1}`);
  return pageOf(valuesOf(rows, keys), query.limit);
}

/** What is the same in all keys stands in the order of its number, turned round with the last key. */
function keysOf(query: SeenQuery, columnOf: (key: SortKey) => SQL, id: SQL): SortColumns {
  const keys = sortKeysOf(query).map(({ key, descending }) => ({ column: columnOf(key), descending }));
  return [...keys, { column: id, descending: keys.at(-1)?.descending ?? false }];
}

const valuesOf = (rows: readonly KeyRow[], keys: SortColumns): (string | number)[][] =>
  rows.map((row) => keys.map((_, index) => row[`k${index}`] ?? ''));

function beyondMark({ after }: ListQuery, keys: SortColumns): SQL[] {
  return after === undefined ? [] : [afterKeys(keys, readMark(after, keysSchema(keys.length)))];
}

/** Rows after a row with these keys. */
function afterKeys(keys: SortColumns, values: readonly (string | number)[]): SQL {
  const columns = sql.join(
    keys.map(({ column }) => column),
    sql`, `,
  );
  const row = sql.join(
    values.map((value) => sql`${value}`),
    sql`, `,
  );
  // Where all keys go in one direction, one row comparison does, which an index answers.
  if (keys.every(({ descending }) => !descending)) return sql`(${columns}) > (${row})`;
  if (keys.every(({ descending }) => descending)) return sql`(${columns}) < (${row})`;
  return keys.reduceRight<SQL>(
    (rest, { column, descending }, index) => {
      const value = sql`${values[index]}`;
      const beyond = descending ? sql`${column} < ${value}` : sql`${column} > ${value}`;
      return sql`(${beyond} or (${column} = ${value} and ${rest}))`;
    },
    sql`false`,
  );
}
