import { FormatError } from '../errors.ts';
import { readAiff } from './aiff/aiff-reader.ts';
import type { AudioFile } from './audio-file.ts';
import type { ByteSource } from './byte-source.ts';
import { readCaf } from './caf/caf-reader.ts';
import { readAu } from './au/au-reader.ts';
import { containerOf, type ContainerKind } from './container.ts';
import { readFlac } from './flac/flac-reader.ts';
import { readMp3 } from './mp3/mp3-reader.ts';
import { otherAudioByContent } from './other-audio.ts';
import { readOgg } from './ogg/ogg-reader.ts';
import { readW64 } from './w64/w64-reader.ts';
import { readWav } from './wav/wav-reader.ts';

type Reader = (source: ByteSource) => Promise<AudioFile>;

const READERS: Record<Exclude<ContainerKind, 'm4a'>, Reader> = {
  wave: readWav,
  aiff: readAiff,
  flac: readFlac,
  mp3: readMp3,
  ogg: readOgg,
  caf: readCaf,
  w64: readW64,
  au: readAu,
};

/**
 * What a file says of itself, its container told by its content. Reads headers only. M4A is left to the reader that is given for it.
 * Throws FILE_EMPTY, FORMAT_UNKNOWN, FORMAT_NOT_SUPPORTED or FORMAT_DAMAGED.
 */
export async function readAudioFile(source: ByteSource, readM4a: Reader): Promise<AudioFile> {
  if (source.sizeBytes === 0) throw new FormatError('FILE_EMPTY', 'file', 'The file is empty (0 bytes).', 0);
  const kind = await containerOf(source);
  if (kind === undefined) {
    const other = otherAudioByContent(await source.read(0, 64));
    if (other !== undefined)
      throw new FormatError('FORMAT_NOT_SUPPORTED', 'file', `It is ${other}, which Flagstone does not take up.`, 0);
    const message = 'Its first bytes are those of no audio format that Flagstone knows.';
    throw new FormatError('FORMAT_UNKNOWN', 'file', message, 0);
  }
  return kind === 'm4a' ? readM4a(source) : READERS[kind](source);
}
