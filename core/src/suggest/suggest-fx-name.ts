import { parseName, splitExtension } from '../ucs/name-blocks.ts';
import type { CategoryList } from '../ucs/category-list.ts';
import { toLetterCase } from '../text/letter-case.ts';

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
  return toLetterCase(spaced, 'title', [], true);
}
