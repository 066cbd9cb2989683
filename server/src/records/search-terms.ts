import { sql, type SQL } from 'drizzle-orm';

/**
 * Terms of search rows `f`: what the fields of the search line find, as `flagstone_terms` in the database writes them, so that a field is found by the
 * index of words and PostgreSQL knows how often.
 */

/** A term that is no word of a text: what is so of a sound, or a value as a whole. With `begun`, all that begin so. */
export function term(field: string, value: string, begun = false): string {
  const quoted = `${field}=${value}`.replaceAll('\\', '\\\\').replaceAll("'", "''");
  return `'${quoted}'${begun ? ':*' : ''}`;
}

/** The sound has one of some terms. */
export function hasTerm(...terms: string[]): SQL {
  return sql`f.terms @@ ${terms.join(' | ')}::tsquery`;
}

/** All words of a vector stand in a field. Where it has none that say something, nothing has them. */
export function hasWords(field: string, vector: SQL): SQL {
  return sql`f.terms @@ flagstone_asked(${field}, ${vector})`;
}
