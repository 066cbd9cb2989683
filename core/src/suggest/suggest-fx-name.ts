import { parseName, splitExtension } from '../naming/name-blocks.ts';
import type { CategoryList } from '../ucs/category-list.ts';
import { toLetterCase } from '../text/letter-case.ts';

/** The number of a take at the end of a name, with or without the word for it. */
const TAKE = /(?:\s+|^)(?:take|tk|t|v)?\s?(\d{1,4})$/i;

/**
 * A readable FXName from a raw file name: leading numbers and dates go, separators become spaces, words begin with a
 * capital; acronyms and model numbers (RPM, CU, MK2) keep theirs, and a take keeps its number, of two figures at least, so that a series stays in its
 * order. Empty when nothing but numbers is left.
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
    .replace(/-/g, ' ')
    .replace(/\s+/g, ' ')
    .trim()
    // Numbers that stand alone at the beginning count files; “6d” is a name.
    .replace(/^(?:(?:[\d.]+|T\d+)(?:\s+|$))+/i, '');
  const words = spaced.replace(TAKE, '');
  if (words === '') return '';
  const take = TAKE.exec(spaced)?.[1];
  return `${toLetterCase(words, 'title', [], true)}${take === undefined ? '' : ` ${take.padStart(2, '0')}`}`;
}
