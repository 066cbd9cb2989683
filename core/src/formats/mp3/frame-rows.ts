import type { ByteSource } from '../byte-source.ts';
import { parseMpegFrame, type MpegFrame } from './mpeg-frame.ts';

/** How far behind the tag the first frame may stand. */
const SEARCH_BYTES = 64 * 1024;
const FIRST_LOOK_BYTES = 4096;

export interface FirstFrame {
  frame: MpegFrame;
  /** Where the frame stands in the file. */
  offset: number;
  bytes: Uint8Array;
  /** Where the frame stands within the bytes. */
  at: number;
}

/** The first frame after which so many more of the same kind follow, or the file ends; undefined when none stands near the start. */
export async function findFirstFrame(
  source: ByteSource,
  start: number,
  following = 1,
): Promise<FirstFrame | undefined> {
  for (const length of [FIRST_LOOK_BYTES, SEARCH_BYTES]) {
    const bytes = await source.read(start, length);
    const isAtEnd = start + bytes.length >= source.sizeBytes;
    for (let at = 0; at + 4 <= bytes.length; at += 1) {
      const frame = parseMpegFrame(bytes, at);
      if (frame && isFollowed(bytes, at, frame, following, isAtEnd)) return { frame, offset: start + at, bytes, at };
    }
    if (bytes.length < length) break;
  }
  return undefined;
}

function isFollowed(bytes: Uint8Array, at: number, frame: MpegFrame, following: number, isAtEnd: boolean): boolean {
  let next = at + frame.sizeBytes;
  for (let count = 0; count < following; count += 1) {
    if (isAtEnd && next === bytes.length) return count > 0 || following === 1;
    const other = parseMpegFrame(bytes, next);
    if (other?.sampleRateHz !== frame.sampleRateHz || other.layer !== frame.layer) return false;
    next += other.sizeBytes;
  }
  return true;
}

/** Bytes at the end that hold several frames: one of layer III has up to 1,441. */
const TAIL_BYTES = 8 * 1024;
const SURE_FRAMES = 2;

/** Whether the audio, which ends before `end`, ends in the middle of a frame. What ends in no row of frames at all is not judged. */
export async function endsInFrame(source: ByteSource, end: number, first: FirstFrame): Promise<boolean> {
  const start = Math.max(first.offset, end - TAIL_BYTES);
  const bytes = await source.read(start, end - start);
  for (let at = 0; at + 4 <= bytes.length; at += 1) {
    const frame = parseMpegFrame(bytes, at);
    if (frame?.sampleRateHz !== first.frame.sampleRateHz || frame.layer !== first.frame.layer) continue;
    let next = at;
    let count = 0;
    for (let other = parseMpegFrame(bytes, next); other; other = parseMpegFrame(bytes, next)) {
      if (other.sampleRateHz !== frame.sampleRateHz || other.layer !== frame.layer) break;
      if (next + other.sizeBytes > bytes.length) return count >= SURE_FRAMES;
      next += other.sizeBytes;
      count += 1;
    }
    if (count > SURE_FRAMES) return false;
  }
  return false;
}
