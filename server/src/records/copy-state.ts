import { sql, type SQL } from 'drizzle-orm';
import { NOT_IN_STEP } from '@flagstone/core/record/copy-states';
import { hasTerm, term } from './search-terms.ts';

/** The state of a copy `c`, from the revision of its record `r`; whether its drive is away is not known to the database. */
export const COPY_STATE = sql`flagstone_state(c.gone, c.changed_outside, c.carries_revision, r.revision)`;

/** Some copy lies on a drive that is away, as the server saw it last. */
const ON_AWAY_DRIVES = sql`f.terms @@ (select coalesce(string_agg('''drive=' || v.id || '''', ' | '), '')::tsquery from drives v where v.away)`;

/** In the catalogue, where a row is a sound, any of its copies counts. */
export function stateCondition(state: string, isCatalogue: boolean): SQL {
  if (state === 'away') return isCatalogue ? ON_AWAY_DRIVES : sql`d.away`;
  const states = state === 'notInStep' ? NOT_IN_STEP : [state];
  return isCatalogue
    ? hasTerm(...states.map((each) => term('state', each)))
    : sql`${COPY_STATE} = any(${`{${states.join(',')}}`}::text[])`;
}
