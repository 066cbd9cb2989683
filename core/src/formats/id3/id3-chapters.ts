import { asciiOf, bytesOfAscii, concatBytes, viewOf } from '../byte-source.ts';
import { chaptersOfSlices, type Chapter, type Clock } from '../chapters.ts';
import { readSynchsafe, id3FrameBytes, type Id3Frame, type Id3Version } from './id3-tag.ts';
import { decodeId3Text, textEncoder } from './id3-text.ts';

/**
 * Chapters in ID3 (“ID3v2 Chapter Frame Addendum 1.0”, id3.org; from memory): CHAP holds an element's name, its start and end in milliseconds
 * and in bytes (all ones: not used), and frames of its own, of which TIT2 is its title; CTOC lists the elements.
 */
const TIMES_BYTES = 16;
const NOT_USED = 0xffffffff;
/** CTOC counts in one byte. */
const MOST_LISTED = 255;
const TOP_LEVEL_AND_ORDERED = 3;

/** The chapter that a CHAP frame holds; undefined where it is cut short. */
export function chapterIn(version: Id3Version, { contents }: Id3Frame): Chapter | undefined {
  const nameEnd = contents?.indexOf(0) ?? -1;
  if (!contents || nameEnd < 0 || nameEnd + 1 + TIMES_BYTES > contents.length) return undefined;
  const view = viewOf(contents);
  const [startMs, endMs] = [view.getUint32(nameEnd + 1), view.getUint32(nameEnd + 5)];
  const name = titleIn(version, contents.subarray(nameEnd + 1 + TIMES_BYTES));
  return endMs > startMs && endMs !== NOT_USED ? { startMs, endMs, name } : { startMs, name };
}

function titleIn(version: Id3Version, frames: Uint8Array): string {
  for (let at = 0; at + 10 <= frames.length;) {
    const size = version === 4 ? readSynchsafe(frames, at + 4) : viewOf(frames).getUint32(at + 4);
    const contents = frames.subarray(at + 10, at + 10 + size);
    if (asciiOf(frames.subarray(at, at + 4)) === 'TIT2' && contents.length > 0)
      return decodeId3Text(contents[0] ?? 0, contents.subarray(1)).text;
    at += 10 + size;
  }
  return '';
}

/** The frames that hold slices as chapters, with the table of them where they fit into one. */
export function chapterFrames(version: Id3Version, slices: string, clock: Clock): Uint8Array[] {
  const chapters = chaptersOfSlices(slices, clock, true);
  const elements = chapters.map((_, index) => bytesOfAscii(`chp${index}\0`));
  const frames = chapters.map(({ startMs, endMs = startMs + 1, name }, index) => {
    const times = new Uint8Array(TIMES_BYTES);
    const view = viewOf(times);
    [startMs, endMs, NOT_USED, NOT_USED].forEach((value, place) => view.setUint32(place * 4, value));
    const { byte, encode } = textEncoder(version, [name]);
    const title = name === '' ? [] : [id3FrameBytes(version, 'TIT2', concatBytes([Uint8Array.of(byte), encode(name)]))];
    return id3FrameBytes(version, 'CHAP', concatBytes([elements[index] ?? new Uint8Array(0), times, ...title]));
  });
  if (chapters.length === 0 || chapters.length > MOST_LISTED) return frames;
  const table = [bytesOfAscii('toc\0'), Uint8Array.of(TOP_LEVEL_AND_ORDERED, chapters.length), ...elements];
  return [id3FrameBytes(version, 'CTOC', concatBytes(table)), ...frames];
}
