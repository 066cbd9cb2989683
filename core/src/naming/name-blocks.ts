import type { Category, CategoryList } from '../ucs/category-list.ts';

/**
 * File names of the Universal Category System, a row of blocks:
 * `CatID[-UserCategory]_[VendorCategory-]FXName_CreatorID_SourceID[_UserData]`.
 */
export const BLOCK_NAMES = [
  'catId',
  'userCategory',
  'vendorCategory',
  'fxName',
  'creatorId',
  'sourceId',
  'userData',
] as const;
export type BlockName = (typeof BLOCK_NAMES)[number];
export type NameBlocks = Partial<Record<BlockName, string>>;

export const REQUIRED_BLOCKS: readonly BlockName[] = ['catId', 'fxName', 'creatorId', 'sourceId'];

/** The words that a person sees for a block: the standard's own. */
export const BLOCK_LABELS: Record<BlockName, string> = {
  catId: 'CatID',
  userCategory: 'UserCategory',
  vendorCategory: 'VendorCategory',
  fxName: 'FXName',
  creatorId: 'CreatorID',
  sourceId: 'SourceID',
  userData: 'UserData',
};

export type NameProblemCode =
  | 'BLOCK_MISSING'
  | 'CATID_UNKNOWN'
  | 'CHARACTERS_REPLACED'
  | 'NAME_TOO_LONG'
  | 'NAME_RESERVED'
  | 'CATID_CASE'
  | 'CATID_REPAIRED'
  | 'CATEGORY_DIFFERS'
  | 'SEPARATORS_REPAIRED'
  | 'BLOCKS_TOO_FEW'
  | 'NAME_SHORTENED'
  | 'PATH_TOO_LONG';

/** An `error` stops the renaming of that file; a `notice` only tells what was changed to make the name legal. */
export interface NameProblem {
  code: NameProblemCode;
  severity: 'error' | 'notice';
  /** Left out where the name is not laid in blocks. */
  block?: BlockName;
  message: string;
}

export interface PlannedName {
  /** The whole file name with its extension; empty blocks are left out. */
  name: string;
  /** The blocks as they stand in the name, cleaned. */
  blocks: NameBlocks;
  problems: NameProblem[];
}

/** Most bytes of a file name on Linux, macOS and Windows file systems (common practice; Windows counts UTF-16 units). */
export const MAX_NAME_BYTES = 255;
/** Room kept for a counter such as ` 01` when the name is taken. */
export const COUNTER_BYTES = 4;

// Illegal on Windows, plus the control characters; `/` and NUL are illegal everywhere.
// eslint-disable-next-line no-control-regex -- control characters are what is looked for
const ILLEGAL = /[<>:"/\\|?*\u0000-\u001f\u007f]/g;

/** Builds the name that the blocks give. `extension` carries its dot and is kept as it is. */
export function buildName(fields: NameBlocks, extension: string, categories: CategoryList): PlannedName {
  const problems: NameProblem[] = [];
  const blocks: NameBlocks = {};
  for (const block of BLOCK_NAMES) {
    const given = (fields[block] ?? '').normalize('NFC').trim();
    const clean = cleanBlock(block, given);
    if (clean !== '') blocks[block] = clean;
    if (clean !== given && clean !== '') {
      const message = `${BLOCK_LABELS[block]} “${given}” becomes “${clean}”: separators and illegal characters are not allowed in it.`;
      problems.push({ code: 'CHARACTERS_REPLACED', severity: 'notice', block, message });
    }
    if (clean === '' && REQUIRED_BLOCKS.includes(block)) {
      const message = `${BLOCK_LABELS[block]} is missing.`;
      problems.push({ code: 'BLOCK_MISSING', severity: 'error', block, message });
    }
  }
  checkCatId(blocks, categories, problems);
  const name = joinBlocks(blocks) + extension;
  const tooLong = lengthProblem(name);
  if (tooLong) problems.push({ ...tooLong, block: 'fxName', message: `${tooLong.message} Shorten the FXName.` });
  return { name, blocks, problems };
}

/** Says that a name is longer than file systems hold, with room for a counter; undefined when it fits. */
export function lengthProblem(name: string): NameProblem | undefined {
  const bytes = new TextEncoder().encode(name).length;
  const fit = MAX_NAME_BYTES - COUNTER_BYTES;
  if (bytes <= fit) return undefined;
  return { code: 'NAME_TOO_LONG', severity: 'error', message: `The name has ${bytes} bytes; ${fit} fit.` };
}

/** The longest path that most Windows programs take, in UTF-16 units (Microsoft, “Maximum Path Length Limitation”; from memory). */
const MAX_PATH_UNITS = 259;
/** `X:\\`, with which the path of a drive's root begins there at the least. */
const SHORTEST_ROOT_UNITS = 3;

/** Says that a path below a drive's root is longer than most Windows programs open; undefined when it is not. */
export function pathProblem(folder: string, name: string): NameProblem | undefined {
  const units = SHORTEST_ROOT_UNITS + (folder === '' ? 0 : folder.length + 1) + name.length;
  if (units <= MAX_PATH_UNITS) return undefined;
  const message = `With its folders the path has ${units} characters; most Windows programs open ${MAX_PATH_UNITS}.`;
  return { code: 'PATH_TOO_LONG', severity: 'notice', message };
}

/** A text without what some file system refuses in a name: illegal characters become spaces, runs of spaces one, and no dots or spaces end it. */
export function legalText(text: string): string {
  return text
    .normalize('NFC')
    .replace(ILLEGAL, ' ')
    .replace(/\s+/g, ' ')
    .replace(/^\s+|[\s.]+$/g, '');
}

function checkCatId(blocks: NameBlocks, categories: CategoryList, problems: NameProblem[]): void {
  if (blocks.catId === undefined) return;
  const known = categories.find(blocks.catId);
  if (!known) {
    const message = `CatID “${blocks.catId}” is not in the category list (${categories.source}).`;
    problems.push({ code: 'CATID_UNKNOWN', severity: 'error', block: 'catId', message });
  } else if (known.catId !== blocks.catId) {
    const message = `CatID “${blocks.catId}” is written “${known.catId}”.`;
    problems.push({ code: 'CATID_CASE', severity: 'notice', block: 'catId', message });
    blocks.catId = known.catId;
  }
}

/** The name without its extension that blocks give; empty ones are left out. */
export function joinBlocks(blocks: NameBlocks): string {
  const first = [blocks.catId, blocks.userCategory].filter(isFilled).join('-');
  const second = [blocks.vendorCategory, blocks.fxName].filter(isFilled).join('-');
  return [first, second, blocks.creatorId, blocks.sourceId, blocks.userData].filter(isFilled).join('_');
}

function isFilled(value: string | undefined): value is string {
  return value !== undefined && value !== '';
}

/**
 * The value as it may stand in a block: `_` separates blocks, so it becomes a space everywhere but in UserData, the last block;
 * a `-` that would be read as the end of a VendorCategory becomes a space; identifiers hold no spaces; no trailing dots.
 */
function cleanBlock(block: BlockName, value: string): string {
  let clean = value.replace(ILLEGAL, ' ');
  if (block !== 'userData') clean = clean.replaceAll('_', ' ');
  if (block === 'catId') clean = clean.replaceAll('-', ' ');
  if (block === 'fxName' || block === 'vendorCategory') clean = clean.replace(HYPHEN_IN_WORD, ' ');
  clean = clean.replace(/\s+/g, block === 'creatorId' || block === 'sourceId' || block === 'catId' ? '' : ' ');
  return clean.replace(/^[\s-]+|[\s.-]+$/g, '');
}

/** A hyphen without a space on both sides; ` - ` inside an FXName is harmless. */
const HYPHEN_IN_WORD = /(?<! )-|-(?! )/g;

export interface ParsedName {
  blocks: NameBlocks;
  /** The counter of a taken name (` 01`), when there is one. */
  counter?: number;
  problems: NameProblem[];
}

/**
 * The blocks of a file name without its extension; undefined when it is not in UCS form: fewer than four blocks, or a first
 * block that is no CatID of the list. A CatID in the wrong case is repaired with a notice.
 */
export function parseName(baseName: string, categories: CategoryList): ParsedName | undefined {
  const parts = baseName.normalize('NFC').split('_');
  const [first = '', second = ''] = parts.map((part) => part.trim());
  if (parts.length < 4 || second === '') return undefined;
  const dash = first.indexOf('-');
  const catId = dash < 0 ? first : first.slice(0, dash);
  const category = findAsWritten(catId, categories);
  if (!category) return undefined;

  const problems: NameProblem[] = [];
  if (category.catId !== catId) {
    const message = `CatID “${catId}” is written “${category.catId}”.`;
    problems.push({ code: 'CATID_CASE', severity: 'notice', block: 'catId', message });
  }
  const laid = layBlocks(parts.slice(1), parts.length === 4);
  const head: NameBlocks = { catId: category.catId };
  if (dash >= 0) head.userCategory = first.slice(dash + 1);
  const blocks = { ...head, ...laid.blocks };
  return laid.counter === undefined ? { blocks, problems } : { blocks, counter: laid.counter, problems };
}

/** The category of a CatID as it stands in a name: in any case, but “Rain” is a word where the CatID is “RAIN”. */
export function findAsWritten(catId: string, categories: CategoryList): Category | undefined {
  const found = categories.find(catId);
  return found && (found.catId === catId || /\p{Ll}/u.test(found.catId)) ? found : undefined;
}

/**
 * The blocks behind the first one: VendorCategory and FXName, CreatorID, SourceID, UserData. A counter at the end of the SourceID (` 01`) is
 * taken off where `mayCount`.
 */
export function layBlocks(parts: readonly string[], mayCount: boolean): Omit<ParsedName, 'problems'> {
  const [second = '', creatorId = '', sourceWithCounter = ''] = parts.map((part) => part.trim());
  // UserData, the last block, may hold separators: it is everything that is left, as it stands.
  const userData = parts.slice(3).join('_').trim();
  const counterMatch = mayCount ? / (\d{2,})$/.exec(sourceWithCounter) : null;
  const sourceId = counterMatch ? sourceWithCounter.slice(0, counterMatch.index) : sourceWithCounter;
  const vendorDash = second.search(HYPHEN_IN_WORD);
  const blocks: NameBlocks = {};
  if (vendorDash > 0) blocks.vendorCategory = second.slice(0, vendorDash);
  blocks.fxName = vendorDash > 0 ? second.slice(vendorDash + 1) : second;
  if (creatorId !== '') blocks.creatorId = creatorId;
  if (sourceId !== '') blocks.sourceId = sourceId;
  if (userData !== '') blocks.userData = userData;
  return counterMatch ? { blocks, counter: Number(counterMatch[1]) } : { blocks };
}

/** Splits a file name into base and extension (with its dot); a leading dot does not begin an extension. */
export function splitExtension(fileName: string): { base: string; extension: string } {
  const dot = fileName.lastIndexOf('.');
  if (dot <= 0) return { base: fileName, extension: '' };
  return { base: fileName.slice(0, dot), extension: fileName.slice(dot) };
}

/** Two names with the same key cannot stand side by side on a file system that ignores case or normalises Unicode. */
export function nameKey(fileName: string): string {
  return fileName.normalize('NFC').toLowerCase();
}

/**
 * The name itself when it is free, else the first of ` 01`, ` 02` ... before the extension that is. `isTaken` is asked with the
 * nameKey of each candidate. `counters` remembers how far each name came, so that ten thousand of one name are not counted from 1 each.
 */
export function freeName(
  fileName: string,
  isTaken: (key: string) => boolean,
  counters: Map<string, number> = new Map(),
): string {
  const key = nameKey(fileName);
  if (!isTaken(key)) return fileName;
  const { base, extension } = splitExtension(fileName);
  for (let counter = (counters.get(key) ?? 0) + 1; ; counter += 1) {
    const candidate = `${base} ${String(counter).padStart(2, '0')}${extension}`;
    if (isTaken(nameKey(candidate))) continue;
    counters.set(key, counter);
    return candidate;
  }
}

/** A name without its counter; undefined when it has none as freeName gives it. */
export function withoutCounter(fileName: string): string | undefined {
  const { base, extension } = splitExtension(fileName);
  const plain = base.replace(/ \d{2,}$/, '');
  return plain === base ? undefined : plain + extension;
}

/** Whether a name is another one with a counter, as freeName gives it. */
export function isCountedName(fileName: string, wanted: string): boolean {
  return withoutCounter(fileName) === wanted;
}
