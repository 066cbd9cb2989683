import anyAscii from 'any-ascii';
import { legalText, nameKey } from '../naming/name-blocks.ts';
import { isReserved } from '../naming/naming-pattern.ts';

/** Which characters names may hold: all that no file system refuses; those of ASCII; the portable ones (POSIX.1-2017 §3.282: letters, digits, `.`, `_`, `-`). */
export const TARGET_CHARACTERS = ['any', 'ascii', 'portable'] as const;
export const TARGET_CASES = ['asIs', 'lower', 'upper'] as const;
export const TARGET_SPACES = ['kept', 'underscores', 'hyphens'] as const;
/** The least that leaves room for an extension, a channel and a number. */
export const LEAST_NAME_BYTES = 24;

/** What names must be like where a delivery goes. */
export interface NameRules {
  characters: (typeof TARGET_CHARACTERS)[number];
  letterCase: (typeof TARGET_CASES)[number];
  spaces: (typeof TARGET_SPACES)[number];
  /** Of a name with its extension; no less than LEAST_NAME_BYTES. */
  mostBytes: number;
}

const bytesOf = (text: string): number => new TextEncoder().encode(text).length;

const SEPARATORS = { kept: ' ', underscores: '_', hyphens: '-' } as const;

/** What stands between words. */
function separatorOf({ spaces, characters }: NameRules): string {
  return spaces === 'kept' && characters === 'portable' ? '_' : SEPARATORS[spaces];
}

/** A text in the characters that are allowed; letters of other scripts become those that sound like them. May become empty. */
function allowed(text: string, rules: NameRules): string {
  const { characters, letterCase } = rules;
  // Half a character pair stands in no file name.
  let result = legalText(text.toWellFormed().replaceAll('�', ' '));
  if (characters !== 'any') result = legalText(anyAscii(result));
  const separator = separatorOf(rules);
  if (characters === 'portable') result = result.replace(/[^A-Za-z0-9._ -]+/g, ' ');
  result = result.replace(/\s+/g, separator);
  if (separator !== ' ') result = result.replaceAll(new RegExp(`\\${separator}{2,}`, 'g'), separator);
  if (letterCase !== 'asIs') result = letterCase === 'lower' ? result.toLowerCase() : result.toUpperCase();
  // A dot in front hides a file, a hyphen in front is taken for an option; neither a dot nor a space may stand at an end.
  return result.normalize('NFC').replace(/^[\s._-]+|[\s._-]+$/g, '');
}

/** The beginning of a text that has no more than so many bytes, cut between two characters. */
function cutTo(text: string, most: number): string {
  if (bytesOf(text) <= most) return text;
  let [result, bytes] = ['', 0];
  for (const { segment } of new Intl.Segmenter('en', { granularity: 'grapheme' }).segment(text)) {
    bytes += bytesOf(segment);
    if (bytes > most) break;
    result += segment;
  }
  return result.replace(/[\s._-]+$/, '');
}

/** What a file is called of whose name nothing may stand where it goes. */
const NAMELESS = 'sound';

/**
 * The name of a file where it is delivered: by the rules there, no longer than they allow, not that of a device, and taken by no other file. `suffix` (a channel) and `extension` follow the name as
 * they are and must keep the rules. `isTaken` is asked with the nameKey of each; `counters` remembers how far a name came.
 */
export function targetName(
  base: string,
  { suffix = '', extension }: { suffix?: string; extension: string },
  rules: NameRules,
  isTaken: (key: string) => boolean,
  counters: Map<string, number>,
): string {
  const end = suffix + (rules.letterCase === 'lower' ? extension.toLowerCase() : extension);
  const separator = separatorOf(rules);
  const clean = allowed(base, rules) || allowed(NAMELESS, rules);
  const cut = (text: string, number: number): string => {
    const rest = (number === 0 ? '' : separator + String(number).padStart(2, '0')) + end;
    return cutTo(text, rules.mostBytes - bytesOf(rest)) + rest;
  };
  const named = (number: number): string => {
    const name = cut(clean, number);
    return isReserved(name) ? cut(allowed(NAMELESS, rules) + separator + clean, number) : name;
  };
  const first = named(0);
  if (!isTaken(nameKey(first))) return first;
  const key = nameKey(first);
  for (let number = (counters.get(key) ?? 0) + 1; ; number += 1) {
    const candidate = named(number);
    if (isTaken(nameKey(candidate))) continue;
    counters.set(key, number);
    return candidate;
  }
}

/** A folder of a delivery, `/` between its parts, by the same rules. */
export function targetFolder(folder: string, rules: NameRules): string {
  const named = (text: string): string => cutTo(allowed(text, rules), rules.mostBytes);
  return folder
    .split('/')
    .map(named)
    .filter((part) => part !== '')
    .map((part) => (isReserved(part) ? named(`folder ${part}`) : part))
    .join('/');
}
