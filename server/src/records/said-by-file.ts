import type { AudioFile } from '@flagstone/core/formats/audio-file';
import { filledFields } from '@flagstone/core/record/fields';
import type { copies } from '../db/schema.ts';

type SaidByFile = Pick<typeof copies.$inferSelect, 'inFile' | 'otherTexts' | 'issues' | 'disagreeing'>;

/** What the row of a copy holds of what its file says. */
export function saidByFile({ record, otherTexts, issues, disagreeing }: AudioFile): SaidByFile {
  return { inFile: filledFields(record), otherTexts, issues, disagreeing };
}

/** Whether a file says something else than what its row holds: then its sound is found by other words. */
export function saysOtherwise(row: SaidByFile, said: SaidByFile): boolean {
  return !isSame(row.inFile, said.inFile) || !isSame(row.otherTexts ?? {}, said.otherTexts ?? {});
}

/** Whether two objects say the same, in whatever order. */
export function isSame(one: object, other: object): boolean {
  return JSON.stringify(sorted(one)) === JSON.stringify(sorted(other));
}

function sorted(fields: object): [string, unknown][] {
  return Object.entries(fields).sort(([a], [b]) => (a < b ? -1 : 1));
}
