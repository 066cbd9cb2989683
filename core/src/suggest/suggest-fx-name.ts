import { parseName, splitExtension } from '../ucs/name-blocks.ts';
import type { CategoryList } from '../ucs/category-list.ts';

/** Words that stay small inside a name (common practice of English titles). */
const SMALL = new Set([
  'a',
  'an',
  'and',
  'at',
  'for',
  'from',
  'in',
  'into',
  'of',
  'on',
  'onto',
  'or',
  'the',
  'to',
  'with',
  'x',
]);
/** At most this many letters in capitals are taken for an acronym when the rest of the name is not in capitals. */
const ACRONYM_LETTERS = 4;

/**
 * A readable FXName from a raw file name: leading numbers, dates and take marks go, separators become spaces, words begin with a
 * capital; acronyms and model numbers (RPM, CU, MK2) keep theirs. Empty when nothing but numbers is left.
 */
export function suggestFxName(fileName: string, categories: CategoryList): string {
  const { base } = splitExtension(fileName);
  const stated = parseName(base, categories)?.blocks.fxName;
  if (stated !== undefined) return stated;
  const spaced = base
    .normalize('NFC')
    .replace(/[_,;]+/g, ' ')
    .replace(/\s+-\s+|-(?=\s)|(?<=\s)-/g, ' ')
    .replace(/(\p{Ll})(\p{Lu})/gu, '$1 $2')
    .replace(/[()[\]{}]/g, ' ')
    .replace(/^[\d\s.-]*(?:\bT\d+\b)?[\s.-]*/i, '')
    .replace(/(?:\s+|^)(?:take|tk|t|v)?\s?\d{1,4}$/i, '')
    .replace(/-/g, ' ')
    .replace(/\s+/g, ' ')
    .trim();
  const shouting = spaced === spaced.toUpperCase();
  return spaced
    .split(' ')
    .map((word, index) => titled(word, index, shouting))
    .join(' ');
}

function titled(word: string, index: number, shouting: boolean): string {
  const lower = word.toLowerCase();
  if (/\d/.test(word)) return shouting && word.length > ACRONYM_LETTERS + 2 ? lower : word;
  const isAcronym = !shouting && word.length > 1 && word.length <= ACRONYM_LETTERS && word === word.toUpperCase();
  if (isAcronym) return word;
  if (index > 0 && SMALL.has(lower)) return lower;
  const [first = ''] = lower;
  return first.toUpperCase() + lower.slice(first.length);
}
