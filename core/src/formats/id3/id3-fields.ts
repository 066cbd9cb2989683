import { AppError } from '../../errors.ts';
import { bytesOfAscii, concatBytes } from '../byte-source.ts';
import { slicesOfChapters, type Clock } from '../chapters.ts';
import type { FoundText } from '../field-places.ts';
import { chapterFrames, chapterIn } from './id3-chapters.ts';
import { decodeId3Text, splitTexts, terminated, textEncoder } from './id3-text.ts';
import { id3FrameBytes, id3TagBytes, type Id3Frame, type Id3Tag, type Id3Version } from './id3-tag.ts';

/** The three-letter frames of version 2.2 (ID3v2.2 §4) that later versions have under four letters. */
const SHORT_IDS: Record<string, string> = {
  TT2: 'TIT2',
  COM: 'COMM',
  TCO: 'TCON',
  TXX: 'TXXX',
  TAL: 'TALB',
  TP1: 'TPE1',
  TPB: 'TPUB',
  TCR: 'TCOP',
  WCP: 'WCOP',
  TYE: 'TYER',
  TDA: 'TDAT',
  TIM: 'TIME',
  TBP: 'TBPM',
  TKE: 'TKEY',
  TCM: 'TCOM',
  TSS: 'TSSE',
};
const LONG_TO_SHORT = new Map(Object.entries(SHORT_IDS).map(([short, long]) => [long, short]));
/** The frames before version 2.4 that together say what TDRC says. */
const DATE_FRAMES = ['TYER', 'TDAT', 'TIME'];
const SPARE_PADDING_BYTES = 2048;
const SOFTWARE = 'Flagstone';

/** The four-letter name of a frame. */
export function longFrameId(id: string): string {
  return SHORT_IDS[id] ?? id;
}

/** What a frame is called among the places: TIT2, COMM for the comment without a description, TXXX:NAME, WCOP; undefined when it is none. */
function keyOf(frame: Id3Frame): { key: string; found: FoundText } | undefined {
  const { contents, offsetBytes } = frame;
  if (!contents || contents.length === 0) return undefined;
  const id = longFrameId(frame.id);
  const encoding = contents[0] ?? 0;
  if (id === 'TXXX') {
    const [name = new Uint8Array(0), value = new Uint8Array(0)] = splitTexts(encoding, contents.subarray(1), 2);
    return {
      key: `TXXX:${decodeId3Text(encoding, name).text.toUpperCase()}`,
      found: { ...decodeId3Text(encoding, value), offsetBytes },
    };
  }
  if (id === 'COMM') {
    const [name = new Uint8Array(0), value = new Uint8Array(0)] = splitTexts(encoding, contents.subarray(4), 2);
    const description = decodeId3Text(encoding, name).text;
    return {
      key: description === '' ? 'COMM' : `COMM:${description}`,
      found: { ...decodeId3Text(encoding, value), offsetBytes },
    };
  }
  if (/^W(?!XXX)/.test(id)) return { key: id, found: { ...decodeId3Text(0, contents), offsetBytes } };
  if (id.startsWith('T')) return { key: id, found: { ...decodeId3Text(encoding, contents.subarray(1)), offsetBytes } };
  return undefined;
}

/**
 * The texts of a tag by key, the first frame of a key counting; the date frames of older versions are put together as TDRC. With a clock the
 * chapters stand under `CHAP`, as slices in frames.
 */
export function id3Texts(
  tag: Pick<Id3Tag, 'frames'> & { version?: Id3Version },
  clock?: Clock,
): Map<string, FoundText> {
  const texts = new Map<string, FoundText>();
  for (const frame of tag.frames) {
    const entry = keyOf(frame);
    if (entry && !texts.has(entry.key)) texts.set(entry.key, entry.found);
  }
  const year = texts.get('TYER');
  if (year && !texts.has('TDRC')) {
    const [, day, month] = /^(\d\d)(\d\d)$/.exec(texts.get('TDAT')?.text ?? '') ?? [];
    const [, hour, minute] = /^(\d\d)(\d\d)$/.exec(texts.get('TIME')?.text ?? '') ?? [];
    const date = day === undefined ? year.text : `${year.text}-${month}-${day}`;
    texts.set('TDRC', { ...year, text: day === undefined || hour === undefined ? date : `${date}T${hour}:${minute}` });
  }
  const chapters = tag.frames.filter(({ id }) => id === 'CHAP');
  if (clock && chapters[0]) {
    const found = chapters.flatMap((frame) => chapterIn(tag.version ?? 3, frame) ?? []);
    texts.set('CHAP', { text: slicesOfChapters(found, clock), offsetBytes: chapters[0].offsetBytes });
  }
  return texts;
}

/** How a tag is to be written. */
export interface Id3WriteOptions {
  /** For a new tag; an earlier one keeps its version. 3 (ID3v2.3) when absent. */
  version?: Id3Version;
  /** Bytes that the tag should take with its padding, where its frames fit into them; else it gets spare padding. */
  sizeBytes?: number;
  /** Needed for chapters. */
  clock?: Clock;
}

/**
 * A tag with the texts set by key (an empty text removes its frames). Frames that are not named stay byte for byte and in order; new
 * ones follow. Undefined when no frame is left. Throws CHUNK_TOO_LARGE when the tag passes 2^28 bytes or holds frames that were not loaded.
 */
export function writeId3Tag(
  earlier: Id3Tag | undefined,
  texts: ReadonlyMap<string, string>,
  { version: wanted = 3, sizeBytes, clock }: Id3WriteOptions = {},
): Uint8Array<ArrayBuffer> | undefined {
  const version = earlier?.version ?? wanted;
  const current = earlier ? id3Texts(earlier, clock) : new Map<string, FoundText>();
  const wishes = withoutRoundedTempo(texts, current);
  const pending = new Map(version === 4 ? wishes : withDateFrames(wishes, earlier, current.get('TDRC')?.text));
  // Version 2.2 has no chapters.
  if (version === 2) pending.delete('CHAP');
  const differs = [...pending].some(([key, text]) => text !== (current.get(key)?.text ?? ''));
  if (differs && !current.has('TSSE')) pending.set('TSSE', SOFTWARE);
  const chapters = pending.get('CHAP');
  const rewritten =
    clock && chapters !== undefined && chapters !== (current.get('CHAP')?.text ?? '') ? chapters : undefined;
  pending.delete('CHAP');
  const done = new Set<string>();
  const frames: Uint8Array[] = [];
  for (const frame of earlier?.frames ?? []) {
    if (!frame.raw) throw new AppError('CHUNK_TOO_LARGE', `ID3 frame “${frame.id}” was not loaded.`);
    if (rewritten !== undefined && (frame.id === 'CHAP' || frame.id === 'CTOC')) continue;
    const isHidden = !frame.contents;
    const key = keyOf(frame)?.key ?? (isHidden ? longFrameId(frame.id) : '');
    const text = pending.get(key);
    // What is compressed cannot be read, so it cannot be kept beside what replaces it; and nothing is taken away that nobody saw.
    if (isHidden && (text === undefined || text === '')) {
      frames.push(frame.raw);
      continue;
    }
    if (text === undefined || (text === current.get(key)?.text && !done.has(key))) frames.push(frame.raw);
    else if (!done.has(key) && text !== '') frames.push(frameFor(version, key, text));
    done.add(key);
  }
  for (const [key, text] of pending) if (!done.has(key) && text !== '') frames.push(frameFor(version, key, text));
  if (rewritten !== undefined && clock) frames.push(...chapterFrames(version, rewritten, clock));
  const onlySoftware = frames.length === 1 && pending.get('TSSE') === SOFTWARE;
  if (frames.length === 0 || (onlySoftware && (earlier?.frames.length ?? 0) === 0)) return undefined;
  const used = 10 + frames.reduce((total, frame) => total + frame.length, 0);
  const padding = sizeBytes !== undefined && sizeBytes >= used ? sizeBytes - used : SPARE_PADDING_BYTES;
  if (used + padding >= 2 ** 28)
    throw new AppError('CHUNK_TOO_LARGE', 'The ID3 tag would be larger than a tag can be.');
  return id3TagBytes(version, frames, padding);
}

/** TBPM holds whole numbers (ID3v2.3 §4.2.1); one that says the same more exactly stays. */
function withoutRoundedTempo(
  texts: ReadonlyMap<string, string>,
  current: ReadonlyMap<string, FoundText>,
): ReadonlyMap<string, string> {
  const [told, exact] = [current.get('TBPM')?.text, texts.get('TXXX:TEMPO')];
  const isSame = told !== undefined && exact !== undefined && exact !== '' && Number(told) === Number(exact);
  return isSame && texts.has('TBPM') ? new Map(texts).set('TBPM', told) : texts;
}

/** The date in the frames of the versions before 2.4: year, day and month, hour and minute. */
function withDateFrames(
  texts: ReadonlyMap<string, string>,
  earlier: Id3Tag | undefined,
  current: string | undefined,
): Map<string, string> {
  const all = new Map(texts);
  const date = all.get('TDRC');
  all.delete('TDRC');
  // A date that stays keeps its frames: those of the older versions hold no seconds.
  if (date === undefined || date === current) return all;
  const [, year = '', month, day, hour, minute] = /^(\d{4})(?:-(\d\d)-(\d\d)(?:T(\d\d):(\d\d))?)?/.exec(date) ?? [];
  const values = [year, month ? `${day}${month}` : '', hour ? `${hour}${minute}` : ''];
  DATE_FRAMES.forEach((id, index) => all.set(id, values[index] ?? ''));
  if (earlier?.frames.some((frame) => frame.id === 'TDRC')) all.set('TDRC', '');
  return all;
}

function frameFor(version: Id3Version, key: string, text: string): Uint8Array {
  const colon = key.indexOf(':');
  const longId = colon < 0 ? key : key.slice(0, colon);
  const name = colon < 0 ? '' : key.slice(colon + 1);
  const id = version === 2 ? (LONG_TO_SHORT.get(longId) ?? longId.slice(0, 3)) : longId;
  if (longId.startsWith('W')) return id3FrameBytes(version, id, bytesOfAscii(text));
  const { byte, encode } = textEncoder(version, [name, text]);
  const encoding = Uint8Array.of(byte);
  if (longId === 'TXXX')
    return id3FrameBytes(version, id, concatBytes([encoding, terminated(byte, encode(name)), encode(text)]));
  if (longId === 'COMM') {
    // The language that means none is given, ID3v2.4 frames §4.10: "XXX"; common practice is "eng".
    return id3FrameBytes(
      version,
      id,
      concatBytes([encoding, bytesOfAscii('eng'), terminated(byte, encode(name)), encode(text)]),
    );
  }
  return id3FrameBytes(version, id, concatBytes([encoding, encode(text)]));
}
