import type { Issue } from '../errors.ts';
import { concatBytes, viewOf } from './byte-source.ts';
import { chaptersOfSlices, slicesOfChapters, type Chapter, type Clock } from './chapters.ts';
import type { FoundText } from './field-places.ts';
import type { BlockDetail } from './file-block.ts';
import { decodeText, decodeWithEvidence } from './text-encoding.ts';

/** One `KEY=value` of a comment header; the raw bytes are kept so that unknown and untouched ones survive unchanged. */
export interface VorbisEntry {
  /** In capitals; empty for an entry without an equals sign. */
  key: string;
  found: FoundText;
  raw: Uint8Array;
}

/** A comment header: Vorbis I specification §5.2.1 (also FLAC's VORBIS_COMMENT, RFC 9639 §8.6, and OpusTags, RFC 7845 §5.2). */
export interface VorbisComment {
  vendor: Uint8Array;
  entries: VorbisEntry[];
  /** Bytes that it takes. */
  sizeBytes: number;
}

const MAX_ENTRIES = 100_000;

/** Reads the comments; entries that claim more than is there end the list with an issue. `baseOffset` is where the bytes stand in the file. */
export function parseVorbisComment(bytes: Uint8Array, baseOffset: number): { value: VorbisComment; issues: Issue[] } {
  const issues: Issue[] = [];
  const view = viewOf(bytes);
  let at = 0;
  const take = (): Uint8Array | undefined => {
    const length = at + 4 <= bytes.length ? view.getUint32(at, true) : -1;
    if (length < 0 || at + 4 + length > bytes.length) {
      const offsetBytes = baseOffset + at;
      issues.push({
        code: 'COMMENT_BEYOND_END',
        message: `A Vorbis comment at byte ${offsetBytes} claims more than is there.`,
        offsetBytes,
      });
      return undefined;
    }
    at += 4 + length;
    return bytes.subarray(at - length, at);
  };
  const value: VorbisComment = { vendor: (take() ?? new Uint8Array(0)).slice(), entries: [], sizeBytes: bytes.length };
  const count = issues.length === 0 && at + 4 <= bytes.length ? view.getUint32(at, true) : 0;
  at += 4;
  for (let index = 0; index < Math.min(count, MAX_ENTRIES); index += 1) {
    const offsetBytes = baseOffset + at;
    const raw = take()?.slice();
    if (!raw) break;
    const equals = raw.indexOf(0x3d);
    const key = equals < 0 ? '' : decodeWithEvidence(raw.subarray(0, equals)).text.toUpperCase();
    value.entries.push({ key, raw, found: { ...decodeWithEvidence(raw.subarray(equals + 1)), offsetBytes } });
  }
  if (issues.length === 0) value.sizeBytes = Math.min(at, bytes.length);
  return { value, issues };
}

/** `CHAPTER001=00:00:01.500` and `CHAPTER001NAME=…`: chapters in Vorbis comments (common practice; xiph.org wiki “Chapter Extension”). */
const CHAPTER_KEY = /^CHAPTER(\d{3})(NAME)?$/;
const CHAPTER_TIME = /^(\d{1,4}):(\d\d):(\d\d)(?:\.(\d{1,3}))?$/;

function chaptersIn(entries: readonly VorbisEntry[]): Chapter[] {
  const found = new Map<string, { startMs?: number; name: string }>();
  for (const { key, found: value } of entries) {
    const [, number, isName] = CHAPTER_KEY.exec(key) ?? [];
    if (number === undefined) continue;
    const chapter = found.get(number) ?? { name: '' };
    const [, hours, minutes, seconds, thousandths = '0'] = CHAPTER_TIME.exec(value.text) ?? [];
    if (isName) chapter.name = value.text;
    else if (hours !== undefined)
      chapter.startMs =
        ((Number(hours) * 60 + Number(minutes)) * 60 + Number(seconds)) * 1000 + Number(thousandths.padEnd(3, '0'));
    found.set(number, chapter);
  }
  return [...found.values()].flatMap(({ startMs, name }) => (startMs === undefined ? [] : [{ startMs, name }]));
}

function chapterEntries(slices: string, clock: Clock): [string, string][] {
  const two = (value: number): string => String(Math.floor(value)).padStart(2, '0');
  return chaptersOfSlices(slices, clock, false)
    .slice(0, 999)
    .flatMap(({ startMs, name }, index): [string, string][] => {
      const key = `CHAPTER${String(index + 1).padStart(3, '0')}`;
      const seconds = `${two((startMs / 1000) % 60)}.${String(startMs % 1000).padStart(3, '0')}`;
      const time = `${two(startMs / 3_600_000)}:${two((startMs / 60_000) % 60)}:${seconds}`;
      return [[key, time], ...(name === '' ? [] : [[`${key}NAME`, name] as [string, string]])];
    });
}

/**
 * The texts by key; several entries of one key are joined by `; `. With a clock the chapters stand under `CHAPTER`, as slices in frames.
 */
export function vorbisTexts({ entries }: VorbisComment, clock?: Clock): Map<string, FoundText> {
  const texts = new Map<string, FoundText>();
  for (const { key, found } of entries) {
    const first = texts.get(key);
    if (key !== '') texts.set(key, first ? { ...first, text: `${first.text}; ${found.text}` } : found);
  }
  const first = entries.find(({ key }) => CHAPTER_KEY.test(key));
  if (clock && first)
    texts.set('CHAPTER', { text: slicesOfChapters(chaptersIn(entries), clock), offsetBytes: first.found.offsetBytes });
  return texts;
}

/** A comment header as details, in order. */
export function describeComment(comment: VorbisComment): BlockDetail[] {
  const entries = comment.entries.map(({ key, found, raw }) => ({
    name: key || '(no key)',
    value: key ? found.text : decodeText(raw),
  }));
  return [{ name: 'Vendor', value: decodeText(comment.vendor) }, ...entries];
}

/** The comment header with the texts set by key (an empty text removes all entries of it); everything else stays byte for byte and in order. */
export function writeVorbisComment(
  earlier: VorbisComment | undefined,
  texts: ReadonlyMap<string, string>,
  clock?: Clock,
): Uint8Array<ArrayBuffer> {
  const current = earlier ? vorbisTexts(earlier, clock) : new Map<string, FoundText>();
  const changed = new Map([...texts].filter(([key, text]) => text !== (current.get(key)?.text ?? '')));
  const chapters = clock ? changed.get('CHAPTER') : undefined;
  changed.delete('CHAPTER');
  const raws: Uint8Array[] = [];
  const entry = (key: string, text: string): void => {
    if (text !== '') raws.push(new TextEncoder().encode(`${key}=${text}`));
    changed.delete(key);
  };
  const done = new Set<string>();
  for (const { key, raw } of earlier?.entries ?? []) {
    if (chapters !== undefined && CHAPTER_KEY.test(key)) continue;
    const text = changed.get(key);
    if (text !== undefined) {
      entry(key, text);
      done.add(key);
    } else if (!done.has(key)) raws.push(raw);
  }
  for (const [key, text] of [...changed]) entry(key, text);
  if (chapters !== undefined && clock) for (const [key, text] of chapterEntries(chapters, clock)) entry(key, text);
  const counted = (bytes: Uint8Array): Uint8Array => concatBytes([uint32(bytes.length), bytes]);
  const vendor = earlier?.vendor ?? new TextEncoder().encode('Flagstone');
  return concatBytes([counted(vendor), uint32(raws.length), ...raws.map(counted)]);
}

function uint32(value: number): Uint8Array {
  const bytes = new Uint8Array(4);
  viewOf(bytes).setUint32(0, value, true);
  return bytes;
}
