import type { SoundPage } from '@flagstone/contract/api';
import type { HitCount } from '@flagstone/contract/facets';
import { sortKeysOf, type ListQuery, type SortKey } from '@flagstone/contract/selection';
import { sql, type SQL } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import { COPY_STATE } from './copy-state.ts';
import { countHits, countSample, sampleOf } from './hits.ts';
import { keysSchema, pageOf, readMark, type PageOfIds } from './page-marks.ts';
import { relevantPage } from './relevance.ts';
import { allOf, catalogueTables, conditionsNow, filterConditions, isNarrow } from './search.ts';
import { batchTables, rowsInOrder } from './sound-rows.ts';

type Source = { kind: 'batch'; batchId: number } | { kind: 'catalogue' };

/** Columns of search rows `f`, for which the catalogue has indexes where lists are often sorted by them; of copies, `c`, and records, `r`. */
function sortColumn(key: SortKey, isCatalogue: boolean, seed: number): SQL {
  const columns: Record<SortKey, SQL> = {
    // Without words nothing is more relevant than what is well described.
    relevance: sql`f.merit`,
    name: isCatalogue ? sql`f.name` : sql`lower(c.name)`,
    folder: sql`lower(c.folder || '/' || c.name)`,
    catId: sql`f.cat_id`,
    fxName: sql`f.fx_name`,
    description: sql`lower(r.description)`,
    keywords: sql`lower(array_to_string(r.keywords, ', '))`,
    state: COPY_STATE,
    library: sql`lower(f.library)`,
    creatorId: sql`r.creator_id`,
    sourceId: sql`r.source_id`,
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

/** Keys that are columns of the copy, which is looked up for every sound that is found then. */
const OF_COPY: readonly SortKey[] = ['folder', 'state'];

/** One page of a batch or of the catalogue, by key: page one hundred costs what page one costs. How much there is in all stands on the first. */
export async function listRows(app: AppContext, source: Source, query: ListQuery): Promise<SoundPage> {
  const [page, counted] = await (source.kind === 'catalogue'
    ? cataloguePage(app, query)
    : batchPage(app, source.batchId, query));
  return {
    rows: await rowsInOrder(app.db, source.kind === 'catalogue' ? 'sounds' : 'copies', page.ids),
    next: page.next,
    total: counted?.count ?? null,
    isApproximate: counted?.isApproximate ?? false,
  };
}

type CountedPage = [PageOfIds, HitCount | undefined];

async function cataloguePage(app: AppContext, query: ListQuery): Promise<CountedPage> {
  const isFirst = query.after === undefined;
  const sample = isFirst && isNarrow(query) ? await sampleOf(app, query) : undefined;
  const conditionsOf = sample?.conditionsOf ?? (await conditionsNow(app.db));
  // All of few have to be looked at anyway to put them in order. Else it is counted beside: whoever waits for both waits for the longer one.
  const isCounted = sample?.factor === 1;
  const counting = async (): Promise<HitCount | undefined> => {
    if (!isFirst || isCounted || (sample && query.count === 'free')) return undefined;
    return sample ? countSample(app.db, sample) : countHits(app, query);
  };
  const [page, counted] = await Promise.all([
    (async () =>
      (query.sort === 'relevance' ? await relevantPage(app, query, conditionsOf, sample) : undefined) ??
      pageInOrder(app, { kind: 'catalogue' }, query, conditionsOf(query), isCounted))(),
    counting(),
  ]);
  // A sample says little of the few that PostgreSQL did not expect to be few: a phrase of two frequent words.
  const total = page.total ?? (isFirst && page.next === null ? page.ids.length : undefined);
  return [page, total === undefined ? counted : { count: total, isApproximate: false }];
}

async function batchPage(app: AppContext, batchId: number, query: ListQuery): Promise<CountedPage> {
  const conditions = filterConditions(query, { kind: 'batch' });
  const counting = async (): Promise<HitCount> => {
    const { rows } = await app.db.execute<{ count: number }>(
      sql`select count(*) from ${batchTables(batchId)} where ${allOf(conditions)}`,
    );
    return { count: rows[0]?.count ?? 0, isApproximate: false };
  };
  return Promise.all([
    pageInOrder(app, { kind: 'batch', batchId }, query, conditions, false),
    query.after === undefined ? counting() : undefined,
  ]);
}

async function pageInOrder(
  app: AppContext,
  source: Source,
  query: ListQuery,
  conditions: readonly SQL[],
  isCounted: boolean,
): Promise<PageOfIds> {
  const isCatalogue = source.kind === 'catalogue';
  const wanted = sortKeysOf(query);
  const id = isCatalogue ? sql`f.sound_id` : sql`c.id`;
  const keys = wanted.map(({ key, descending }) => ({ column: sortColumn(key, isCatalogue, query.seed), descending }));
  // What is the same in all keys stands in the order of its number, turned round with the last key.
  keys.push({ column: id, descending: keys.at(-1)?.descending ?? false });
  const tables = isCatalogue
    ? catalogueTables(wanted.some(({ key }) => OF_COPY.includes(key)))
    : batchTables(source.batchId);
  const after = query.after === undefined ? [] : [afterKeys(keys, readMark(query.after, keysSchema(keys.length)))];
  const all = [...conditions, ...after];
  const columns = keys.map(({ column }, index) => sql`${column} as ${sql.identifier(`k${index}`)}`);
  if (isCounted) columns.push(sql`count(*) over () as total`);
  const order = keys.map(({ column, descending }) => (descending ? sql`${column} desc` : column));
  const { rows } = await app.db.execute<Record<string, string | number>>(sql`
    select ${sql.join(columns, sql`, `)} from ${tables} where ${allOf(all)} order by ${sql.join(order, sql`, `)} limit ${query.limit + 1}`);
  const page = pageOf(
    rows.map((row) => keys.map((_, index) => row[`k${index}`] ?? '')),
    query.limit,
  );
  return isCounted ? { ...page, total: Number(rows[0]?.['total'] ?? 0) } : page;
}

/** Rows behind a row with these keys. */
function afterKeys(keys: readonly { column: SQL; descending: boolean }[], values: readonly (string | number)[]): SQL {
  const columns = sql.join(
    keys.map(({ column }) => column),
    sql`, `,
  );
  const row = sql.join(
    values.map((value) => sql`${value}`),
    sql`, `,
  );
  // All one way round is one comparison of rows, which an index answers.
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
