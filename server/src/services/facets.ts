import { FACETS, type Facet, type Facets } from '@flagstone/contract/facets';
import type { ListFilter } from '@flagstone/contract/selection';
import { withoutField } from '@flagstone/core/query/toggle-term';
import { sql, type SQL } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import { allOf, filterConditions } from './search.ts';

/** So many of what is found are counted exactly; of more, these stand for all. */
const MOST_COUNTED = 50_000;
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
  form: sql`nullif(r.form, '')`,
  channels: sql`s.channels::text`,
  length: bandOf(sql`s.duration_seconds`, LENGTHS),
  rate: sql`s.sample_rate_hz::text`,
  depth: sql`nullif(s.bit_depth, 0)::text`,
  loudness: bandOf(sql`a.loudness_lufs`, LOUDNESS),
  rating: sql`r.rating::text`,
  library: sql`nullif(r.library, '')`,
  publisher: sql`nullif(r.publisher, '')`,
  creator: sql`nullif(r.creator, '')`,
  licence: sql`nullif(r.licence, '')`,
  container: sql`(select k.container from copies k where k.sound_id = s.id order by k.gone, k.id limit 1)`,
  drive: sql`(select v.name from copies k join drives v on v.id = k.drive_id where k.sound_id = s.id order by k.gone, k.id limit 1)`,
};

/**
 * How many of the filed sounds that a filter finds have each value. A field that the search line narrows already is counted without that, so that its
 * other values can be chosen too. Beyond a limit the first ones stand for all, and the answer says so.
 */
export async function countFacets(app: AppContext, filter: ListFilter): Promise<Facets> {
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
  const rows = counted.flat();
  return {
    isApproximate: rows.some(({ hits }) => hits > MOST_COUNTED),
    facets: FACETS.flatMap((facet) => {
      const values = rows
        .filter((row) => row.facet === facet)
        .map(({ value, count }) => ({ ...termOf(facet, value), count }));
      return values.length > 0 ? [{ facet, values: inOrder(facet, values) }] : [];
    }),
  };
}

interface CountedValue extends Record<string, unknown> {
  facet: Facet;
  value: string;
  count: number;
  /** How many sounds were looked at. */
  hits: number;
}

async function countValues(app: AppContext, filter: ListFilter, facets: readonly Facet[]): Promise<CountedValue[]> {
  if (facets.length === 0) return [];
  const columns = facets.map((facet) => sql`${VALUES[facet]} as ${sql.identifier(facet)}`);
  const counts = facets.map(
    (facet) => sql`
      (select ${facet} as facet, ${sql.identifier(facet)} as value, count(*)::int as count from hit
      where ${sql.identifier(facet)} is not null group by 2 order by 3 desc, 2 limit ${MOST_VALUES})`,
  );
  const { rows } = await app.db.execute<CountedValue>(sql`
    with hit as materialized (
      select ${sql.join(columns, sql`, `)} from sounds s join records r on r.sound_id = s.id left join analyses a on a.sound_id = s.id
      where s.filed_at is not null and ${allOf(filterConditions(filter, { kind: 'catalogue' }))} limit ${MOST_COUNTED + 1})
    select f.facet, f.value, f.count, (select count(*)::int from hit) as hits from (${sql.join(counts, sql` union all `)}) f`);
  return rows;
}

function termOf(facet: Facet, value: string): { label: string; term: string } {
  const band = facet === 'length' ? LENGTHS[Number(value)] : facet === 'loudness' ? LOUDNESS[Number(value)] : undefined;
  if (band !== undefined)
    return { label: bandInWords(band, facet === 'length' ? 's' : 'LUFS'), term: `${facet}:${band}` };
  if (facet === 'rate') return { label: `${Number(value) / 1000} kHz`, term: `rate:${value}` };
  if (facet === 'depth') return { label: `${value} bit`, term: `depth:${value}` };
  if (facet === 'channels') return { label: channelsInWords(value), term: `channels:${value}` };
  if (facet === 'rating') return { label: '★'.repeat(Number(value)), term: `rating:${value}` };
  const isWord = /^[\p{L}\p{N}]+$/u.test(value);
  return {
    label: value,
    term: `${facet}:${facet === 'form' ? '' : '='}${isWord ? value : `"${value.replaceAll('"', '')}"`}`,
  };
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
