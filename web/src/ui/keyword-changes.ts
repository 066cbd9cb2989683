import type { RecordEdit } from '@flagstone/core/record/edit';

/** The edit that turns one list of keywords into another: what is added and what is taken away; undefined when they are the same. */
export function keywordChanges(before: readonly string[], after: readonly string[]): RecordEdit | undefined {
  const key = (word: string): string => word.trim().toLowerCase();
  const [had, has] = [new Set(before.map(key)), new Set(after.map(key))];
  const addKeywords = after.filter((word) => key(word) !== '' && !had.has(key(word)));
  const removeKeywords = before.filter((word) => !has.has(key(word)));
  if (addKeywords.length + removeKeywords.length === 0) return undefined;
  return {
    ...(addKeywords.length > 0 ? { addKeywords } : {}),
    ...(removeKeywords.length > 0 ? { removeKeywords } : {}),
  };
}
