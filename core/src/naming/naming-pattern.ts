import { AppError } from '../errors.ts';
import { FIELD_NAMES, fieldLabel, type FieldName, type SoundRecord } from '../record/fields.ts';
import { COMMON_ACRONYMS, LETTER_CASES, toLetterCase, type LetterCase } from '../text/letter-case.ts';
import type { CategoryList } from '../ucs/category-list.ts';
import type { NameEnding } from './name-ending.ts';
import { shortenedBlocks, shortenedText, type Shortening } from './shorten-name.ts';
import {
  BLOCK_NAMES,
  buildName,
  legalText,
  lengthProblem,
  type BlockName,
  type NameBlocks,
  type NameProblem,
  type PlannedName,
} from './name-blocks.ts';

/** What stands in a block of a name: a field, how its letters stand, and whether its spaces stay. */
export interface BlockRule {
  field: FieldName;
  letterCase: LetterCase;
  spaces: 'kept' | 'removed';
}

/** The blocks that a pattern may fill otherwise: all but the CatID, which is what makes a name one of the standard. */
export type FreeBlock = Exclude<BlockName, 'catId'>;

/**
 * How names are made from records: after the Universal Category System, with a rule for each block, or freely after a template for
 * collections that do not use it.
 */
export type NamingPattern = (
  { kind: 'ucs'; blocks: Partial<Record<FreeBlock, BlockRule>> } | { kind: 'free'; template: string }
) & { ending?: NameEnding | undefined };

/** A name after a pattern; `blocks` is null where the name is not laid in blocks. */
export type PatternedName = Omit<PlannedName, 'blocks'> & { blocks: NameBlocks | null };

/** Every block from the field of its name, as it stands there. */
export const STANDARD_PATTERN: NamingPattern = { kind: 'ucs', blocks: {} };

/** The rule of a block: the pattern's, else the field of the block's name as it is. */
export function ruleOf(pattern: Extract<NamingPattern, { kind: 'ucs' }>, block: FreeBlock): BlockRule {
  return pattern.blocks[block] ?? { field: block, letterCase: 'asIs', spaces: 'kept' };
}

/**
 * The name that a pattern gives to a record, with what is wrong with it. `extension` carries its dot and is kept, and whatever else the name is to end in before it (name-ending.ts); a name that is too long is
 * an error, or shortened as `shorten` says. Throws PATTERN_INVALID for a template that cannot be read.
 */
export function nameAfter(
  pattern: NamingPattern,
  record: Partial<SoundRecord>,
  extension: string,
  categories: CategoryList,
  shorten: Shortening = 'no',
): PatternedName {
  const planned =
    pattern.kind === 'ucs'
      ? ucsName(pattern, record, extension, categories, shorten)
      : freeName(pattern.template, record, extension, shorten);
  const reserved = isReserved(planned.name) ? [reservedProblem(planned.name)] : [];
  return { ...planned, problems: [...planned.problems, ...reserved] };
}

function ucsName(
  pattern: Extract<NamingPattern, { kind: 'ucs' }>,
  record: Partial<SoundRecord>,
  extension: string,
  categories: CategoryList,
  shorten: Shortening,
): PatternedName {
  const whole = buildName(blocksAfter(pattern, record), extension, categories);
  const differs = categoryProblem(record, categories);
  const shorter = shortenedBlocks(whole.blocks, extension, shorten);
  const planned = shorter ? buildName(shorter.blocks, extension, categories) : whole;
  const notes = shorter
    ? [...whole.problems.filter(({ code }) => code !== 'NAME_TOO_LONG'), shorter.problem]
    : whole.problems;
  return { ...planned, problems: differs ? [...notes, differs] : notes };
}

/** Says that the Category and SubCategory of a record are not those of its CatID. */
function categoryProblem(record: Partial<SoundRecord>, categories: CategoryList): NameProblem | undefined {
  const known = categories.find(record.catId ?? '');
  const said = [record.category, record.subCategory].map((text) => (text ?? '').trim().toUpperCase());
  if (!known || said.join('') === '' || (said[0] === known.category && said[1] === known.subCategory)) return undefined;
  const message = `CatID “${known.catId}” is ${known.category}, ${known.subCategory} in the list; the record says ${said.join(', ')}.`;
  return { code: 'CATEGORY_DIFFERS', severity: 'notice', block: 'catId', message };
}

/** The names of devices, which Windows refuses with any extension (Microsoft, “Naming Files, Paths, and Namespaces”; from memory). */
const RESERVED = /^(con|prn|aux|nul|com[0-9¹²³]|lpt[0-9¹²³])(\.|$)/i;

/** Whether Windows takes a name for a device, whatever its extension. */
export const isReserved = (name: string): boolean => RESERVED.test(name);

function reservedProblem(name: string): NameProblem {
  const message = `“${name}” is the name of a device on Windows; such a file cannot be opened there.`;
  return { code: 'NAME_RESERVED', severity: 'error', message };
}

function blocksAfter(pattern: Extract<NamingPattern, { kind: 'ucs' }>, record: Partial<SoundRecord>): NameBlocks {
  const blocks: NameBlocks = {};
  for (const block of BLOCK_NAMES) {
    if (block === 'catId') blocks.catId = record.catId ?? '';
    else {
      const rule = ruleOf(pattern, block);
      blocks[block] = styled(textOf(record, rule.field), rule.letterCase, rule.spaces === 'removed');
    }
  }
  return blocks;
}

/** A field as text, lists with commas; empty when nothing is known. */
function textOf(record: Partial<SoundRecord>, field: FieldName): string {
  const value = record[field];
  return Array.isArray(value) ? value.join(', ') : String(value ?? '').trim();
}

function styled(text: string, letterCase: LetterCase, withoutSpaces: boolean): string {
  const cased = toLetterCase(text, letterCase, COMMON_ACRONYMS);
  return withoutSpaces ? cased.replace(/\s+/g, '') : cased;
}

/** A piece of a template: text as it stands, a field, or a group in brackets that is left out when a field in it is empty. */
type Piece =
  | { kind: 'text'; text: string }
  | { kind: 'field'; field: FieldName; letterCase: LetterCase; joined: boolean }
  | { kind: 'group'; pieces: Piece[] };

/**
 * Reads a template: `{field}` or `{field:title}` for a field (asIs, title, sentence, upper, lower, joined for no spaces), `[…]` for what is left
 * out when a field in it is empty, everything else as it stands. Throws PATTERN_INVALID with the place of the fault, counted in characters
 * from 1.
 */
export function parseTemplate(template: string): Piece[] {
  const groups: Piece[][] = [[]];
  let at = 0;
  const fault = (message: string): never => {
    throw new AppError('PATTERN_INVALID', `${message} (character ${at + 1})`, { details: { at } });
  };
  while (at < template.length) {
    const here = groups.at(-1) as Piece[];
    const char = template[at];
    if (char === '{') {
      const end = template.indexOf('}', at);
      if (end < 0) fault('A “{” is not closed');
      here.push(fieldPiece(template.slice(at + 1, end), fault));
      at = end + 1;
      continue;
    }
    if (char === '[') {
      const pieces: Piece[] = [];
      here.push({ kind: 'group', pieces });
      groups.push(pieces);
    } else if (char === ']') {
      if (groups.length === 1) fault('A “]” closes nothing');
      groups.pop();
    } else if (char === '}') fault('A “}” closes nothing');
    else {
      const text = /^[^{}[\]]+/.exec(template.slice(at))?.[0] ?? '';
      here.push({ kind: 'text', text });
      at += text.length;
      continue;
    }
    at += 1;
  }
  if (groups.length > 1) fault('A “[” is not closed');
  const [pieces = []] = groups;
  if (!pieces.some((piece) => piece.kind !== 'text')) fault('The pattern holds no field');
  return pieces;
}

function fieldPiece(inside: string, fault: (message: string) => never): Piece {
  const [name = '', ...how] = inside.split(':').map((part) => part.trim());
  const field = FIELD_NAMES.find((candidate) => candidate.toLowerCase() === name.toLowerCase());
  if (!field) return fault(`There is no field “${name}”`);
  const unknown = how.find((word) => word !== 'joined' && !LETTER_CASES.some((known) => known === word));
  if (unknown !== undefined) fault(`“${unknown}” is not one of ${LETTER_CASES.join(', ')}, joined`);
  const letterCase = LETTER_CASES.find((known) => how.includes(known)) ?? 'asIs';
  return { kind: 'field', field, letterCase, joined: how.includes('joined') };
}

function freeName(
  template: string,
  record: Partial<SoundRecord>,
  extension: string,
  shorten: Shortening,
): PatternedName {
  const problems: NameProblem[] = [];
  const missing: FieldName[] = [];
  const given = filledTemplate(parseTemplate(template), record, missing);
  for (const field of missing)
    problems.push({ code: 'BLOCK_MISSING', severity: 'error', message: `${fieldLabel(field)} is missing.` });
  const base = legalText(given);
  if (base !== given.trim() && base !== '') {
    const message = `“${given}” becomes “${base}”: some of its characters are illegal in names.`;
    problems.push({ code: 'CHARACTERS_REPLACED', severity: 'notice', message });
  }
  if (base === '' && missing.length === 0)
    problems.push({ code: 'BLOCK_MISSING', severity: 'error', message: 'Nothing that the pattern names is filled.' });
  const tooLong = lengthProblem(base + extension);
  const shorter = tooLong && shorten !== 'no' ? shortenedText(base, extension) : undefined;
  if (shorter) return { name: shorter.text + extension, blocks: null, problems: [...problems, shorter.problem] };
  if (tooLong) problems.push(tooLong);
  return { name: base + extension, blocks: null, problems };
}

/** What the pieces of a template give for a record. Fields that they lack are added to `missing`; a group that lacks one is left out. */
export function filledTemplate(pieces: readonly Piece[], record: Partial<SoundRecord>, missing: FieldName[]): string {
  return pieces
    .map((piece) => {
      if (piece.kind === 'text') return piece.text;
      if (piece.kind === 'field') {
        const text = styled(textOf(record, piece.field), piece.letterCase, piece.joined);
        if (text === '') missing.push(piece.field);
        return text;
      }
      const missingInside: FieldName[] = [];
      const text = filledTemplate(piece.pieces, record, missingInside);
      return missingInside.length > 0 ? '' : text;
    })
    .join('');
}
