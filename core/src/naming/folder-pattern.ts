import type { FieldName, SoundRecord } from '../record/fields.ts';
import { legalText } from './name-blocks.ts';
import { filledTemplate, isReserved, parseTemplate } from './naming-pattern.ts';

/** Bytes that file systems allow for the name of a folder. */
const MOST_BYTES = 255;

/**
 * The folder that a template of names gives to a record, `/` between its parts: `{category}/{subCategory}` is `WATER/LOCK`. What a field does not fill is left out, and so is
 * what file systems refuse; a value never makes a folder in a folder. Throws PATTERN_INVALID for a template that cannot be read.
 */
export function folderAfter(template: string, record: Partial<SoundRecord>): string {
  const flat = Object.fromEntries(
    Object.entries(record).map(([name, value]) => [
      name,
      typeof value === 'string' ? value.replace(/[/\\]/g, ' ') : value,
    ]),
  ) as Partial<SoundRecord>;
  return filledTemplate(parseTemplate(template), flat, [])
    .split('/')
    .map((part) => shortened(legalText(part)))
    .filter((part) => part !== '')
    .map((part) => (isReserved(part) ? `${part} folder` : part))
    .join('/');
}

/** The fields of a template of folders that a record does not fill. Throws PATTERN_INVALID. */
export function fieldsLacking(template: string, record: Partial<SoundRecord>): FieldName[] {
  const missing: FieldName[] = [];
  filledTemplate(parseTemplate(template), record, missing);
  return [...new Set(missing)];
}

/** A part of a path that fits, cut between two characters. */
function shortened(part: string): string {
  const size = (text: string): number => new TextEncoder().encode(text).length;
  let [text, characters] = [part, [...part]];
  while (size(text) > MOST_BYTES) {
    characters = characters.slice(0, -1);
    text = legalText(characters.join(''));
  }
  return text;
}
