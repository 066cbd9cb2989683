import type { ListFilter } from '@flagstone/contract/selection';
import { COPY_STATE_NAMES, NOT_IN_STEP, type CopyState } from '@flagstone/core/record/copy-states';
import { sql, type SQL } from 'drizzle-orm';
import { hasTerm, term } from './search-terms.ts';

/** The state of a copy `c`, from the revision of its record `r`; whether its drive is away is not known to the database. */
export const COPY_STATE = sql`flagstone_state(c.gone, c.changed_outside, c.carries_revision, r.revision)`;

/** Some copy lies on a drive that is away, as the server saw it last. */
const ON_AWAY_DRIVES = sql`f.terms @@ (select coalesce(string_agg('''drive=' || v.id || '''', ' | '), '')::tsquery from drives v where v.away)`;

/** In the catalogue, where a row is a sound, any of its copies counts. */
export function stateCondition(state: string, isCatalogue: boolean): SQL {
  if (state === 'away') return isCatalogue ? ON_AWAY_DRIVES : sql`d.away`;
  return isCatalogue
    ? hasTerm(...statesOf(state).map((each) => term('state', each)))
    : sql`${COPY_STATE} = any(${`{${statesOf(state).join(',')}}`}::text[])`;
}

const statesOf = (state: string): readonly string[] => (state === 'notInStep' ? NOT_IN_STEP : [state]);

/** What a filter asks of a copy beside its state. */
const BESIDE_ITS_STATE: readonly string[] = ['unproved', 'damaged', 'alone'];

export type CopyFilter = Pick<ListFilter, 'state' | 'drive' | 'readFolder'>;

/** What a filter asks of one and the same copy, by the name of its table; nothing where it asks nothing of copies. None was cleared away. */
export function copyConditions({ state, drive, readFolder }: CopyFilter, copy: SQL): SQL[] {
  const revision = sql`(select v.revision from records v where v.sound_id = ${copy}.sound_id)`;
  const stands = sql`flagstone_state(${copy}.gone, ${copy}.changed_outside, ${copy}.carries_revision, ${revision})`;
  const isThere = sql`not ${copy}.gone`;
  const ofState = (): SQL => {
    if (state === 'away')
      return sql`${isThere} and exists (select from drives v where v.id = ${copy}.drive_id and v.away)`;
    if (state === 'damaged') return sql`${isThere} and ${copy}.damaged_at is not null`;
    if (state === 'alone')
      return sql`${isThere} and not exists (select from copies v where v.sound_id = ${copy}.sound_id and v.drive_id <> ${copy}.drive_id and not v.gone)`;
    if (state === 'unproved') return sql`${isThere} and ${copy}.proved_at is null`;
    if (state === 'gone') return sql`${copy}.gone`;
    return sql`${stands} = any(${`{${statesOf(state).join(',')}}`}::text[])`;
  };
  if (drive === '' && readFolder === '' && state === '') return [];
  return [
    sql`${copy}.cleared_at is null`,
    ...(drive === '' ? [] : [sql`${copy}.drive_id = ${drive}::uuid`]),
    ...(readFolder === '' ? [] : [sql`${copy}.read_folder_id = ${Number(readFolder)}`]),
    ...(state === '' ? [] : [ofState()]),
  ];
}

/**
 * The same of sounds in the catalogue, by their search rows `f`: those that have such a copy among those of `isSeen`. What the index of words knows of copies narrows
 * first; it does not know which state goes with which drive.
 */
export function soundsWithCopy(filter: CopyFilter, isSeen: SQL): SQL[] {
  const { state, drive, readFolder } = filter;
  const isOfOne = drive !== '' || readFolder !== '' || BESIDE_ITS_STATE.includes(state);
  const isKnown = state === 'notInStep' || COPY_STATE_NAMES.includes(state as CopyState);
  const ofState = isKnown ? [stateCondition(state, true)] : [];
  if (!isOfOne) return ofState;
  const onDrive = drive === '' ? [] : [hasTerm(term('drive', drive))];
  const conditions = sql.join([sql`o.sound_id = f.sound_id`, isSeen, ...copyConditions(filter, sql`o`)], sql` and `);
  return [...ofState, ...onDrive, sql`exists (select from copies o where ${conditions})`];
}
