import { isAudioName } from '../formats/container.ts';
import { otherAudioByName } from '../formats/other-audio.ts';

/** What becomes of a file that is handed over: a sound, a ZIP file that holds some, or what is left out, and why. */
export type ArrivingKind = 'sound' | 'pack' | 'otherAudio' | 'hidden' | 'other';

/** The longest path of a file that is handed over, in bytes as UTF-8; file systems allow 4,096 for a whole path. */
export const MOST_PATH_BYTES = 1024;

const HIDDEN_NAMES = new Set(['thumbs.db', 'desktop.ini', 'system volume information', '$recycle.bin', '__macosx']);

/** Whether a name is one of files of the system, hidden files and leftovers of other programs (common practice). */
export function isHiddenName(name: string): boolean {
  return name.startsWith('.') || HIDDEN_NAMES.has(name.toLowerCase());
}

/** What a file is by its path alone; hidden where it lies in a hidden folder. */
export function arrivingKind(path: string): ArrivingKind {
  const parts = path.split('/');
  if (parts.some(isHiddenName)) return 'hidden';
  const name = parts.at(-1) ?? '';
  if (isAudioName(name)) return 'sound';
  if (/\.zip$/i.test(name)) return 'pack';
  return otherAudioByName(name) === undefined ? 'other' : 'otherAudio';
}

/**
 * A path that was handed over, `/` between its parts, none of them empty; undefined for one that leads anywhere else than below where it is put: absolute, with a drive letter, with `..`, with a
 * NUL, or longer than MOST_PATH_BYTES. Packs that were made on Windows may hold backslashes (the ZIP format, APPNOTE.TXT §4.4.17.1, forbids them).
 */
export function arrivingPath(given: string): string | undefined {
  const path = given.replaceAll('\\', '/');
  if (path.startsWith('/') || /^[a-z]:/i.test(path) || path.includes('\0') || !path.isWellFormed()) return undefined;
  const parts = path.split('/').filter((part) => part !== '' && part !== '.');
  if (parts.length === 0 || parts.includes('..')) return undefined;
  const joined = parts.join('/');
  return new TextEncoder().encode(joined).length > MOST_PATH_BYTES ? undefined : joined;
}
