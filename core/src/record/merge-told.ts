import isEqual from 'fast-deep-equal';
import { mergeLists } from './three-way.ts';

/** What two sides say of the same thing, by member, with what they last agreed on. */
type Told = Record<string, unknown>;

/**
 * Merges what another house says of something that is no record, such as a mark or a heading, member by member: what only one side changed follows that side, lists are merged as
 * sets in their order, and where both changed a member, ours stays unless theirs is to win. Members that they do not name stay. Without a base, whoever says something counts.
 */
export function mergeTold<Said extends Told>(
  base: Partial<Said> | undefined,
  ours: Said,
  theirs: Partial<Said>,
  theirsWins: boolean,
): Said {
  const merged: Told = { ...ours };
  for (const [member, other] of Object.entries(theirs)) {
    const own = ours[member];
    if (isEqual(own, other)) continue;
    const was = base?.[member];
    const [weChanged, theyChanged] = base
      ? [!isEqual(was, own), !isEqual(was, other)]
      : [!isSilent(own), !isSilent(other)];
    if (Array.isArray(own) && Array.isArray(other)) merged[member] = mergeLists(listOf(was), own, other);
    else if (theyChanged && (!weChanged || theirsWins)) merged[member] = other;
  }
  return merged as Said;
}

const listOf = (value: unknown): string[] => (Array.isArray(value) ? value.map(String) : []);

/** Whether a value says nothing: empty, null, false, or a list of nothing. */
const isSilent = (value: unknown): boolean =>
  value === undefined ||
  value === null ||
  value === '' ||
  value === false ||
  (Array.isArray(value) && value.length === 0);
