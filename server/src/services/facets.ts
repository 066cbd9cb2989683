import { FACETS, type Facet, type Facets } from '@flagstone/contract/facets';
import { filterSchema, type ListFilter } from '@flagstone/contract/selection';
import { valueInLine } from '@flagstone/core/query/begun-term';
import { withoutField } from '@flagstone/core/query/toggle-term';
import { sql, type SQL } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import { drives } from '../db/schema.ts';
import { sampleOf } from './hits.ts';
import { keptAnswer } from './kept.ts';
import { allOf, catalogueTables, isNarrow } from './search.ts';

const MOST_VALUES = 12;

/** Bands of lengths in seconds and of loudness in LUFS, as the search line has them. */
const LENGTHS = ['<1', '1..3', '3..10', '10..60', '60..300', '>=300'];
const LOUDNESS = ['<-40', '-40..-30', '-30..-20', '-20..-10', '>=-10'];

/** In which of the bands a value lies, by its number; the bands follow each other. */
function bandOf(value: SQL, bands: readonly string[]): SQL {
  const edges = bands.slice(0, -1).map((band) => Number(band.replace(/^.*\.\.|^</, '')));
  return sql`case when ${value} is null then null else width_bucket(${value}::float8, ${`{${edges.join(',')}}`}::float8[])::text end`;
}

/** What is counted of each sound: empty and unknown values are left out. */
const VALUES: Record<Facet, SQL> = {
  form: sql`nullif(f.form, '')`,
  channels: sql`f.channels::text`,
  length: bandOf(sql`f.duration_seconds`, LENGTHS),
  rate: sql`f.sample_rate_hz::text`,
  depth: sql`nullif(f.bit_depth, 0)::text`,
  loudness: bandOf(sql`f.loudness_lufs`, LOUDNESS),
  rating: sql`f.rating::text`,
  library: sql`nullif(f.library, '')`,
  publisher: sql`nullif(f.publisher, '')`,
  creator: sql`nullif(f.creator, '')`,
  licence: sql`nullif(f.licence, '')`,
  container: sql`nullif(f.container, '')`,
  drive: sql`f.drive_id::text`,
};

/**
 * How many of the filed sounds that a filter finds have each value. A field that the search line narrows already is counted without that, so that its
 * other values can be chosen too. Beyond a limit a sample stands for all, and the answer says so.
 */
export function countFacets(app: AppContext, filter: ListFilter): Promise<Facets> {
  return isNarrow(filter) ? countUnder(app, filter) : allFacets(app);
}

const allFacets = keptAnswer((app) => countUnder(app, filterSchema.parse({})));

async function countUnder(app: AppContext, filter: ListFilter): Promise<Facets> {
  const wider = FACETS.flatMap((facet) => {
    const q = withoutField(filter.q, facet);
    // A space at the end: its last word is not being typed.
    return q === undefined ? [] : [{ facet, q: `${q} ` }];
  });
  const plain = FACETS.filter((facet) => !wider.some((each) => each.facet === facet));
  const counted = await Promise.all([
    countValues(app, filter, plain),
    ...wider.map(({ facet, q }) => countValues(app, { ...filter, q }, [facet])),
  ]);
  const rows = counted.flatMap(({ values }) => values);
  return {
    isApproximate: counted.some(({ isApproximate }) => isApproximate),
    facets: FACETS.flatMap((facet) => {
      const values = rows
        .filter((row) => row.facet === facet)
        .map(({ value, count }) => ({ ...termOf(facet, value), count }));
      return values.length > 0 ? [{ facet, values: inOrder(facet, values) }] : [];
    }),
  };
}

interface CountedValue {
  facet: Facet;
  value: string;
  count: number;
}

/** The most frequent values of each facet among what is found, counted in one pass. */
async function countValues(
  app: AppContext,
  filter: ListFilter,
  facets: readonly Facet[],
): Promise<{ values: CountedValue[]; isApproximate: boolean }> {
  if (facets.length === 0) return { values: [], isApproximate: false };
  const sample = await sampleOf(app, filter);
  const columns = facets.map((facet) => sql`${VALUES[facet]} as ${sql.identifier(facet)}`);
  const names = facets.map((facet) => sql.identifier(facet));
  const { rows } = await app.db.execute<Record<string, string | null> & { count: number; left: number }>(sql`
    with hit as (
      select ${sql.join(columns, sql`, `)} from ${catalogueTables(false)} where ${allOf(sample.conditions)})
    select ${sql.join(names, sql`, `)}, count(*) as count, grouping(${sql.join(names, sql`, `)}) as left
    from hit group by grouping sets (${sql.join(
      names.map((name) => sql`(${name})`),
      sql`, `,
    )})`);
  // GROUPING() has a bit for each column, the last the lowest, which is 0 for the one that the row is about.
  const all = 2 ** facets.length - 1;
  const values = facets.flatMap((facet, index) => {
    const own = all - 2 ** (facets.length - 1 - index);
    return rows
      .flatMap((row): CountedValue[] => {
        const value = row.left === own ? row[facet] : null;
        return value === null || value === undefined
          ? []
          : [{ facet, value, count: Math.round(row.count * sample.factor) }];
      })
      .sort((a, b) => b.count - a.count || (a.value < b.value ? -1 : 1))
      .slice(0, MOST_VALUES);
  });
  return { values: await withDriveNames(app, values), isApproximate: sample.factor !== 1 };
}

async function withDriveNames(app: AppContext, values: readonly CountedValue[]): Promise<CountedValue[]> {
  if (!values.some(({ facet }) => facet === 'drive')) return [...values];
  const names = new Map((await app.db.select().from(drives)).map(({ id, name }) => [id, name]));
  return values.map((each) => (each.facet === 'drive' ? { ...each, value: names.get(each.value) ?? '' } : each));
}

function termOf(facet: Facet, value: string): { label: string; term: string } {
  const band = facet === 'length' ? LENGTHS[Number(value)] : facet === 'loudness' ? LOUDNESS[Number(value)] : undefined;
  if (band !== undefined)
    return { label: bandInWords(band, facet === 'length' ? 's' : 'LUFS'), term: `${facet}:${band}` };
  if (facet === 'rate') return { label: `${Number(value) / 1000} kHz`, term: `rate:${value}` };
  if (facet === 'depth') return { label: `${value} bit`, term: `depth:${value}` };
  if (facet === 'channels') return { label: channelsInWords(value), term: `channels:${value}` };
  if (facet === 'rating') return { label: '★'.repeat(Number(value)), term: `rating:${value}` };
  return { label: value, term: `${facet}:${facet === 'form' ? '' : '='}${valueInLine(value)}` };
}

function bandInWords(band: string, unit: string): string {
  const text = band.replaceAll('-', '−');
  if (text.startsWith('<')) return `below ${text.slice(1)} ${unit}`;
  if (text.startsWith('>')) return `from ${text.slice(2)} ${unit}`;
  return `${text.replace('..', ' to ')} ${unit}`;
}

function channelsInWords(channels: string): string {
  return { 1: 'Mono', 2: 'Stereo', 6: '6 (5.1)', 8: '8 (7.1)' }[channels] ?? `${channels} channels`;
}

/** Numbers in their order, names by how often they occur. */
function inOrder<Value extends { term: string }>(facet: Facet, values: Value[]): Value[] {
  const bands = facet === 'length' ? LENGTHS : facet === 'loudness' ? LOUDNESS : undefined;
  const place = ({ term }: Value): number => {
    const value = term.slice(facet.length + 1);
    return bands ? bands.indexOf(value) : Number(value);
  };
  const isNumeric = bands !== undefined || ['channels', 'rate', 'depth', 'rating'].includes(facet);
  return isNumeric ? [...values].sort((a, b) => place(a) - place(b)) : values;
}
