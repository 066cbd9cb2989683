import type { Category, CategoryList } from '../ucs/category-list.ts';
import { findAsWritten, layBlocks, type BlockName, type NameBlocks, type NameProblem } from './name-blocks.ts';

/** What a name in UCS form, or nearly so, says, and what had to be put right to read it. */
export interface ReadName {
  blocks: NameBlocks;
  repairs: NameProblem[];
}

/** Codes that are in use, so that a block that could be either is taken for what it is. */
export interface KnownCodes {
  creatorIds: ReadonlySet<string>;
  sourceIds: ReadonlySet<string>;
}

const NO_CODES: KnownCodes = { creatorIds: new Set(), sourceIds: new Set() };

/**
 * The blocks of a file name without its extension that is in UCS form or slightly off it: a CatID in the wrong case, with blanks in it or with one letter
 * wrong, blanks around underscores, an underscore too many, dashes for underscores, a block missing. Each repair is told. Undefined when
 * the name does not begin as the standard's names do.
 */
export function readName(
  baseName: string,
  categories: CategoryList,
  known: KnownCodes = NO_CODES,
): ReadName | undefined {
  const repairs: NameProblem[] = [];
  const parts = partsOf(baseName.normalize('NFC').trim(), categories, repairs);
  if (!parts) return undefined;
  const [first = '', ...rest] = parts;
  const head = headOf(first, rest.length, categories, repairs);
  if (!head) return undefined;
  const [last = ''] = rest.slice(-1);
  if (rest.length === 1) missing(repairs, ['creatorId', 'sourceId']);
  if (rest.length === 2) {
    const isSource = known.sourceIds.has(last.toLowerCase()) && !known.creatorIds.has(last.toLowerCase());
    if (isSource) rest.splice(1, 0, '');
    missing(repairs, isSource ? ['creatorId'] : ['sourceId'], last);
  }
  const { blocks } = layBlocks(rest, rest.length === 3);
  return { blocks: { ...head, ...blocks }, repairs };
}

function missing(repairs: NameProblem[], blocks: BlockName[], last = ''): void {
  const [only] = blocks;
  const taken = only === 'creatorId' ? 'SourceID' : 'CreatorID';
  const message =
    blocks.length === 2
      ? 'CreatorID and SourceID are missing.'
      : `A block is missing: “${last}” is taken for the ${taken}.`;
  repairs.push({ code: 'BLOCKS_TOO_FEW', severity: 'notice', ...(only ? { block: only } : {}), message });
}

/** The parts between underscores, trimmed and without needless empty ones; undefined when there is but one. */
function partsOf(name: string, categories: CategoryList, repairs: NameProblem[]): string[] | undefined {
  const note = (code: NameProblem['code'], message: string): unknown =>
    repairs.push({ code, severity: 'notice', message });
  const [firstWord = ''] = name.split(/[\s_-]/);
  if (!name.includes('_')) {
    // “RAIN - heavy” begins with a word; that RAIN is a CatID too says nothing where no “_” does.
    const beginsWithCatId = /\p{Ll}/u.test(findAsWritten(firstWord, categories)?.catId ?? '');
    const dashed = name.split(/\s+[-–—]\s+/);
    if (beginsWithCatId && dashed.length >= 3) {
      note('SEPARATORS_REPAIRED', 'Dashes between the blocks are read as “_”.');
      return dashed.map((part) => part.trim());
    }
    // A CatID as it is written, and words behind it.
    const [, rest] = /^\S+\s+(.+)$/.exec(name) ?? [];
    if (rest === undefined || !beginsWithCatId || categories.find(firstWord)?.catId !== firstWord) return undefined;
    note('SEPARATORS_REPAIRED', `A blank behind “${firstWord}” is read as “_”.`);
    return [firstWord, rest.trim()];
  }
  const given = name.split('_');
  const parts = given.map((part) => part.trim());
  if (parts.some((part, at) => part !== given[at]))
    note('SEPARATORS_REPAIRED', 'Blanks around the separators “_” are left out.');
  // UserData, from the fifth block on, may hold separators; an empty CreatorID or SourceID is one that is missing, not one too many.
  const filled = parts.filter((part) => part !== '');
  if (filled.length >= 4 && parts.slice(0, 4).includes('')) {
    note('SEPARATORS_REPAIRED', 'An underscore too many is left out.');
    return filled;
  }
  while (parts.length > 2 && parts.at(-1) === '') parts.pop();
  return parts.length < 2 || parts[1] === '' ? undefined : parts;
}

function headOf(
  first: string,
  others: number,
  categories: CategoryList,
  repairs: NameProblem[],
): NameBlocks | undefined {
  const note = (code: NameProblem['code'], message: string): unknown =>
    repairs.push({ code, severity: 'notice', block: 'catId', message });
  const dash = first.indexOf('-');
  const given = (dash < 0 ? first : first.slice(0, dash)).trim();
  const userCategory = dash < 0 ? '' : first.slice(dash + 1).trim();
  const head = (category: Category, withUser = true): NameBlocks => {
    return { catId: category.catId, ...(withUser && userCategory !== '' ? { userCategory } : {}) };
  };
  const exact = findAsWritten(given, categories);
  if (exact) {
    if (exact.catId !== given) note('CATID_CASE', `CatID “${given}” is written “${exact.catId}”.`);
    return head(exact);
  }
  const [one = '', ...two] = first.split(/[\s/-]+/);
  const joined = findAsWritten(first.replace(/[\s-]+/g, ''), categories) ?? categories.findByNames(one, two.join(' '));
  if (joined && /^\p{Lu}{2}/u.test(first)) {
    note(
      'CATID_REPAIRED',
      `“${first}” is read as CatID “${joined.catId}” (${joined.category}, ${joined.subCategory}).`,
    );
    return head(joined, false);
  }
  // One letter wrong is a guess, made only where the rest of the name looks like the standard's.
  if (others < 2 || !/^\p{Lu}{2,}\p{Ll}\p{L}*$/u.test(given)) return undefined;
  const near = categories.categories.filter(({ catId }) => isOneSlipFrom(catId.toLowerCase(), given.toLowerCase()));
  const [only] = near;
  if (only && near.length === 1) {
    note('CATID_REPAIRED', `CatID “${given}” is not in the list; “${only.catId}” is one letter away.`);
    return head(only);
  }
  if (others < 3) return undefined;
  note('CATID_UNKNOWN', `CatID “${given}” is not in the category list (${categories.source}) and is left out.`);
  return userCategory === '' ? {} : { userCategory };
}

/** Whether two words differ by one letter that is changed, left out or added, or by two that changed places. */
export function isOneSlipFrom(one: string, other: string): boolean {
  if (one === other || Math.abs(one.length - other.length) > 1) return false;
  let at = 0;
  while (at < one.length && one[at] === other[at]) at += 1;
  const [left, right] = [one.slice(at), other.slice(at)];
  if (left.length === right.length)
    return left.slice(1) === right.slice(1) || left === `${right[1] ?? ''}${right[0] ?? ''}${right.slice(2)}`;
  return left.length > right.length ? left.slice(1) === right : right.slice(1) === left;
}
