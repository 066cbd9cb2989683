import type { EditConflict } from '@flagstone/contract/record';
import type { RecordEdit } from '@flagstone/core/record/edit';
import { FIELDS, type FieldName } from '@flagstone/core/record/fields';

/** What stays of a field that two changed at once. */
export type ConflictChoice = 'theirs' | 'mine' | 'both';

const kindOf = (name: FieldName) => FIELDS.find((field) => field.name === name)?.kind;

/** Whether what both wrote can stand together: in long texts and lists, one after the other. */
export const canBeBoth = (conflicts: readonly EditConflict[]): boolean =>
  conflicts.every(({ field }) => ['longText', 'list'].includes(kindOf(field) ?? ''));

/** The edit that a choice leaves to be saved; undefined when nothing is left of it. */
export function editAfter(
  edit: RecordEdit,
  conflicts: readonly EditConflict[],
  choice: ConflictChoice,
): RecordEdit | undefined {
  if (choice === 'mine') return edit;
  const set: RecordEdit['set'] = { ...edit.set };
  for (const { field, theirs, mine } of conflicts) {
    if (choice === 'theirs') delete set[field];
    else Object.assign(set, { [field]: together(theirs, mine) });
  }
  const { addKeywords, removeKeywords } = edit;
  const isLeft = Object.keys(set).length > 0 || addKeywords?.length || removeKeywords?.length;
  return isLeft ? { ...edit, set } : undefined;
}

function together(theirs: unknown, mine: unknown): unknown {
  if (Array.isArray(theirs) && Array.isArray(mine))
    return [...new Set([...(theirs as string[]), ...(mine as string[])])];
  return [theirs, mine].filter((text) => text !== '' && text !== null).join('\n');
}

/** A value of a field in words. */
export function valueInWords(value: unknown): string {
  if (Array.isArray(value)) return value.length === 0 ? 'nothing' : value.join(', ');
  return typeof value === 'number' || (typeof value === 'string' && value !== '') ? String(value) : 'nothing';
}
