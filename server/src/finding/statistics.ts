import type { Statistics } from '@flagstone/contract/statistics';
import {
  bandInSigns,
  bandsBetween,
  LENGTH_EDGES_SECONDS,
  LOUDNESS_EDGES_LUFS,
} from '@flagstone/core/query/value-bands';
import { DESCRIBING_FIELDS } from '@flagstone/core/record/described';
import { sql } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import type { Sight } from '../rights/rights.ts';
import { soundIsSeen } from '../rights/seen.ts';
import { driftTotals } from '../records/drift.ts';
import { cachedAnswer } from './cached-answer.ts';
import { missingField } from '../records/search-conditions.ts';

interface Band {
  label: string;
  range: string;
}

function bands(edges: readonly number[], unit: string): Band[] {
  return bandsBetween(edges).map((band) => ({
    label: bandInSigns(band, unit),
    range: `${band.from ?? ''}..${band.to ?? ''}`,
  }));
}

/** The catalogue in numbers, for Today. */
export const statisticsOf = cachedAnswer(countAll);

async function countAll(app: AppContext, sight: Sight): Promise<Statistics> {
  const [totals, categories, lengths, loudness, growth, drift] = await Promise.all([
    totalsOf(app, sight),
    app.db.execute<{ category: string; count: number }>(sql`
      select r.category, count(*) as count from sounds s join records r on r.sound_id = s.id
      where s.filed_at is not null and ${soundIsSeen(sight, sql`s.id`)} group by r.category order by count desc, r.category`),
    countBands(app, 'lengths', sight),
    countBands(app, 'loudness', sight),
    app.db.execute<{ day: string; total: number }>(sql`
      select to_char(day, 'YYYY-MM-DD') as day, sum(count) over (order by day)::bigint as total from (
        select date_trunc('day', created_at) as day, count(*) as count from sounds s where filed_at is not null and ${soundIsSeen(sight, sql`s.id`)} group by 1) d order by day`),
    driftTotals(app.db, sight),
  ]);
  const { behind, ahead, split, gone, damaged } = drift.stands;
  return {
    ...totals,
    categories: categories.rows.map(({ category, count }) => ({ category, count })),
    lengths: bands(LENGTH_EDGES_SECONDS, 's').map((band, index) => ({ ...band, count: lengths.get(index) ?? 0 })),
    loudness: bands(LOUDNESS_EDGES_LUFS, 'LUFS').map((band, index) => ({ ...band, count: loudness.get(index) ?? 0 })),
    growth: growth.rows.map(({ day, total }) => ({ day, total: Number(total) })),
    notInStep: { behind, ahead, split, gone, damaged },
  };
}

async function totalsOf(
  app: AppContext,
  sight: Sight,
): Promise<Pick<Statistics, 'filed' | 'measured' | 'completeness'>> {
  const filled = DESCRIBING_FIELDS.map(
    (field) => sql`count(*) filter (where not ${missingField(field)}) as ${sql.identifier(field)}`,
  );
  const { rows } = await app.db.execute<Record<string, number>>(sql`
    select count(*) as filed, count(a.measures) as measured, ${sql.join(filled, sql`, `)}
    from sounds s join records r on r.sound_id = s.id left join analyses a on a.sound_id = s.id where s.filed_at is not null and ${soundIsSeen(sight, sql`s.id`)}`);
  const count = (name: string): number => Number(rows[0]?.[name] ?? 0);
  return {
    filed: count('filed'),
    measured: count('measured'),
    completeness: DESCRIBING_FIELDS.map((field) => ({ field, filled: count(field) })),
  };
}

/** How many filed sounds lie in each band, by its number. */
async function countBands(app: AppContext, what: 'lengths' | 'loudness', sight: Sight): Promise<Map<number, number>> {
  const [column, edges] =
    what === 'lengths'
      ? [sql`s.duration_seconds`, LENGTH_EDGES_SECONDS]
      : [sql`a.loudness_lufs::float8`, LOUDNESS_EDGES_LUFS];
  const { rows } = await app.db.execute<{ band: number; count: number }>(sql`
    select width_bucket(${column}, ${`{${edges.join(',')}}`}::float8[]) as band, count(*) as count
    from sounds s left join analyses a on a.sound_id = s.id where s.filed_at is not null and ${soundIsSeen(sight, sql`s.id`)} and ${column} is not null group by 1`);
  return new Map(rows.map(({ band, count }) => [band, count]));
}

/** How many sounds were read for the first time since then, filed and in preparation. */
export async function countAdded(
  app: AppContext,
  since: string,
  sight: Sight,
): Promise<{ filed: number; inPreparation: number }> {
  const { rows } = await app.db.execute<{ filed: number; in_preparation: number }>(sql`
    select count(*) filter (where filed_at is not null) as filed, count(*) filter (where filed_at is null) as in_preparation
    from sounds s where created_at >= ${since}::timestamptz and ${soundIsSeen(sight, sql`s.id`)}`);
  return { filed: rows[0]?.filed ?? 0, inPreparation: rows[0]?.in_preparation ?? 0 };
}
