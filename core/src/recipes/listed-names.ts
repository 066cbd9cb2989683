import type { FieldName } from '../record/fields.ts';
import { isOneSlipFrom } from '../naming/read-name.ts';
import { plainText } from '../text/words.ts';

/** A name on a list, with its code and the field that holds the code. */
export interface ListedName {
  name: string;
  code: string;
  codeField?: FieldName;
}
export type ListedNames = Partial<Record<FieldName, readonly ListedName[]>>;

const SHORTEST_WITH_SLIP = 5;

/**
 * The name of a list that a record means: the one that it says, however written; else the one whose code it says in either place; else the only one that
 * is one letter away. Undefined when there is none.
 */
export function findListed(list: readonly ListedName[], said: string, code: string): ListedName | undefined {
  const key = plainText(said.trim());
  const byName = list.find(({ name }) => key !== '' && plainText(name) === key);
  if (byName) return byName;
  const codeKey = plainText(key === '' ? code.trim() : key);
  const byCode = list.find((each) => each.code !== '' && plainText(each.code) === codeKey);
  if (byCode || key.length < SHORTEST_WITH_SLIP) return byCode;
  const near = list.filter(({ name }) => isOneSlipFrom(plainText(name), key));
  return near.length === 1 ? near[0] : undefined;
}
