import type { ChangeResult } from '@flagstone/contract/changes';
import { counted } from './format.ts';

/** What came of a change of records: how many changed, and of how many it waits for review. */
export function changedInWords(
  { changed, proposed }: Pick<ChangeResult, 'changed' | 'proposed'>,
  did = 'changed',
): string {
  const parts = changed > 0 || proposed === 0 ? [`${counted(changed, 'sound')} ${did}`] : [];
  if (proposed > 0) parts.push(`${counted(proposed, 'sound')} ${proposed === 1 ? 'waits' : 'wait'} for review`);
  return parts.join(', ');
}
