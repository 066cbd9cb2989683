import { sql, type SQL } from 'drizzle-orm';
import type { Sight } from '../rights/rights.ts';
import { copyIsSeen } from '../rights/seen.ts';

/** The sounds `o` in the catalogue with a copy that somebody sees and that hold the same recording as one, by the column with its number, with how alike they are, `e`. */
export function otherForms(soundId: SQL, sight: Sight): SQL {
  return sql`from same_recordings e join sounds o on o.id = e.other_id and o.filed_at is not null
    where e.sound_id = ${soundId} and exists (select from copies h where h.sound_id = o.id and not h.gone and ${copyIsSeen(sight, sql`h.read_folder_id`)})`;
}

/** Whether there are any. */
export function isHeldInAnotherForm(soundId: SQL, sight: Sight): SQL {
  return sql`exists (select ${otherForms(soundId, sight)})`;
}
