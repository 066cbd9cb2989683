import type { ListFilter } from '@flagstone/contract/selection';
import { sql, type SQL } from 'drizzle-orm';
import type { Queryable } from '../db/connect.ts';

/** Brings the search vectors of sounds up to date with their records and the paths of their copies. */
export async function refreshSearch(db: Queryable, soundIds: readonly number[]): Promise<void> {
  if (soundIds.length === 0) return;
  await db.execute(sql`
    update records r set search = flagstone_search(r, coalesce(p.paths, ''))
    from (select sound_id, string_agg(folder || '/' || name, ' ') as paths from copies where sound_id = any(${idList(soundIds)}) group by sound_id) p
    where p.sound_id = r.sound_id`);
}

/** Ids as one bound array. */
export function idList(ids: readonly number[]): SQL {
  return sql`${`{${ids.join(',')}}`}::bigint[]`;
}

const TOKEN = /(-?)"([^"]*)"?|(-?)(\S+)/g;

/**
 * What the search line means: every word has to occur somewhere in the fields or paths, stemmed and accent-free; “quotes” for a phrase, a
 * minus to exclude; the last word, while it is being typed, also as the beginning of a word. Undefined when there is no word.
 */
export function searchCondition(typed: string): SQL | undefined {
  const stillTyping = !/[\s"]$/.test(typed);
  const tokens = [...typed.matchAll(TOKEN)];
  const parts = tokens.flatMap((match, index) => {
    const [, phraseMinus, phrase, wordMinus, word] = match;
    const text = (phrase ?? word ?? '').replace(/[^\p{L}\p{N}'\s]+/gu, ' ').trim();
    if (text === '') return [];
    let query =
      phrase === undefined
        ? sql`plainto_tsquery('pg_catalog.english', unaccent(${text}))`
        : sql`phraseto_tsquery('pg_catalog.english', unaccent(${text}))`;
    if (phrase === undefined && stillTyping && index === tokens.length - 1 && /^[\p{L}\p{N}]+$/u.test(text)) {
      query = sql`(${query} || to_tsquery('pg_catalog.simple', unaccent(${text}) || ':*'))`;
    }
    return [(phraseMinus ?? wordMinus) === '-' ? sql`!!${query}` : query];
  });
  if (parts.length === 0) return undefined;
  const query = sql.join(parts, sql` && `);
  return sql`(numnode(${query}) = 0 or r.search @@ (${query}))`;
}

/** The conditions of a filter on records `r`. */
export function filterConditions(filter: ListFilter): SQL[] {
  const words = searchCondition(filter.q);
  return [
    ...(words ? [words] : []),
    ...(filter.category === '' ? [] : [sql`r.category = ${filter.category}`]),
    ...(filter.catId === '' ? [] : [sql`r.cat_id = ${filter.catId}`]),
    ...(filter.disagrees === ''
      ? []
      : [sql`r.sound_id in (select sound_id from copies where disagreeing @> array[${filter.disagrees}]::text[])`]),
  ];
}

/** Conditions joined, true when there are none. */
export function allOf(conditions: readonly SQL[]): SQL {
  return conditions.length === 0 ? sql`true` : sql.join([...conditions], sql` and `);
}
