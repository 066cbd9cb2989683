import type { FieldName } from '../record/fields.ts';
import { isOneSlipFrom } from '../naming/read-name.ts';
import { editDistance } from '../text/edit-distance.ts';
import { plainText } from '../text/words.ts';

/** A name on a list, with its code and the field that holds the code. */
export interface ListedName {
  name: string;
  code: string;
  codeField?: FieldName;
}
export type ListedNames = Partial<Record<FieldName, readonly ListedName[]>>;

const SHORTEST_WITH_SLIP = 5;
/** From so many letters on, two slips are still the same name. */
const SHORTEST_WITH_TWO = 10;
/** Words that are in a name or left out, with no other one meant by it: articles, forms of companies (common practice). */
const SMALL_WORDS = new Set(['the', 'and', 'of', 'ltd', 'limited', 'inc', 'llc', 'gmbh', 'co', 'company', 'plc']);

/**
 * The name of a list that a record means: the one that it says, however written; else the one whose code it says in either place; else the only one that is spelled slightly otherwise: in another order
 * (“Venn, Orla”), with first names as initials (“O. Venn”), without its small words, or one letter away, two in long names. Undefined when there is none, or more than one.
 */
export function findListed(list: readonly ListedName[], said: string, code: string): ListedName | undefined {
  const key = plainText(said.trim());
  const byName = list.find(({ name }) => key !== '' && plainText(name) === key);
  if (byName) return byName;
  const codeKey = plainText(key === '' ? code.trim() : key);
  const byCode = list.find((each) => each.code !== '' && plainText(each.code) === codeKey);
  if (byCode || key.length < SHORTEST_WITH_SLIP) return byCode;
  const words = wordsIn(key);
  return (
    only(list, (name) => isInOtherOrder(words, wordsIn(name))) ??
    only(list, (name) => hasInitials(words, wordsIn(name)) || hasInitials(wordsIn(name), words)) ??
    only(list, (name) => isOneSlipFrom(name, key)) ??
    only(list, (name) => key.length >= SHORTEST_WITH_TWO && editDistance(name, key, 2) <= 2)
  );
}

function only(list: readonly ListedName[], isMeant: (name: string) => boolean): ListedName | undefined {
  const found = list.filter(({ name }) => isMeant(plainText(name)));
  return found.length === 1 ? found[0] : undefined;
}

function wordsIn(plain: string): string[] {
  return plain.split(/[^\p{L}\p{N}]+/u).filter((word) => word !== '' && !SMALL_WORDS.has(word));
}

function isInOtherOrder(some: readonly string[], others: readonly string[]): boolean {
  return some.length > 0 && [...some].sort().join(' ') === [...others].sort().join(' ');
}

/** Whether a name has initials where another one has first names, with the last name in common. */
function hasInitials(short: readonly string[], long: readonly string[]): boolean {
  if (short.length !== long.length || short.length < 2) return false;
  const isInitial = (word: string, whole: string): boolean => word.length === 1 && whole.startsWith(word);
  const inOrder = (words: readonly string[]): boolean =>
    words.at(-1) === long.at(-1) && words.slice(0, -1).every((word, at) => isInitial(word, long[at] ?? ''));
  // “Venn O” as well as “O Venn”.
  return inOrder(short) || inOrder([...short.slice(1), short[0] ?? '']);
}
