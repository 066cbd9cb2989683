import { sql, type SQL } from 'drizzle-orm';

/** The state of a copy `c`, from the revision of its record `r`; whether its drive is away is not known to the database. */
export const COPY_STATE = sql`case when c.gone then 'gone'
  when c.changed_outside and c.carries_revision < r.revision then 'split'
  when c.changed_outside then 'ahead'
  when c.carries_revision < r.revision then 'behind' else 'inStep' end`;

/** In the catalogue, where a row is a sound, any of its copies counts. */
export function stateCondition(state: string, isCatalogue: boolean): SQL {
  const condition =
    state === 'notInStep' ? sql`${COPY_STATE} not in ('inStep', 'gone')` : sql`${COPY_STATE} = ${state}`;
  return isCatalogue ? sql`exists (select from copies c where c.sound_id = f.sound_id and ${condition})` : condition;
}
