import type { AudioFacts } from '../formats/audio-file.ts';
import type { ByteSource } from '../formats/byte-source.ts';
import { canonicalAudio } from './canonical-audio.ts';

/** An incremental hash, injected by the platform (SHA-256). */
export interface Hasher {
  update(bytes: Uint8Array): void;
  /** Lower-case hexadecimal. */
  hex(): string;
}

/**
 * The audio digest, version 1 (docs/formats.md): SHA-256 over a line that names version, sample format, rate, channels, bits and
 * length, then the audio: PCM as WAV stores it (little-endian interleaved samples, those of 8 bits unsigned), so that WAV, RF64 and AIFF
 * holding the same samples agree; Ogg as its packets without page headers; other coded audio as its coded bytes without tags.
 */
export const DIGEST_VERSION = 1;

/** Up to this many bytes of audio, the quick digest reads all of it. */
const QUICK_WHOLE_BYTES = 64 * 1024;
const QUICK_BLOCKS = 16;
const QUICK_BLOCK_BYTES = 4096;
const READ_BYTES = 1024 * 1024;
/** Of an Ogg file longer than QUICK_WHOLE_BYTES: this much from the start of the audio and as much before its end. */
const QUICK_OGG_BYTES = 32 * 1024;

function preamble(kind: 'full' | 'quick', facts: AudioFacts): Uint8Array {
  const { sampleFormat, codec, sampleRateHz, channels, bitDepth, audioBytes } = facts;
  const format = sampleFormat === 'coded' ? codec : sampleFormat;
  return new TextEncoder().encode(
    `flagstone-audio-${kind}/${DIGEST_VERSION} ${format} ${sampleRateHz} ${channels} ${bitDepth} ${audioBytes}\n`,
  );
}

/** A digest that is fed the audio of a file as it is copied, in order and complete. */
export class AudioDigester {
  private readonly canonical: (bytes: Uint8Array) => Uint8Array;
  private readonly hasher: Hasher;

  constructor(facts: AudioFacts, hasher: Hasher) {
    this.hasher = hasher;
    this.canonical = canonicalAudio(facts);
    hasher.update(preamble('full', facts));
  }

  update(bytes: Uint8Array): void {
    this.hasher.update(this.canonical(bytes));
  }

  hex(): string {
    return this.hasher.hex();
  }
}

/** The digest over all of the audio, streamed in blocks of 1 MB, the next one being read while one is hashed. */
export async function fullAudioDigest(source: ByteSource, facts: AudioFacts, hasher: Hasher): Promise<string> {
  const digester = new AudioDigester(facts, hasher);
  const read = (at: number): Promise<Uint8Array> =>
    source.read(facts.audioOffset + at, Math.min(READ_BYTES, facts.audioBytes - at));
  let next = read(0);
  for (let at = 0; at < facts.audioBytes; at += READ_BYTES) {
    const bytes = await next;
    if (at + READ_BYTES < facts.audioBytes) next = read(at + READ_BYTES);
    digester.update(bytes);
  }
  return digester.hex();
}

/** The digest over at most 64 kB sampled evenly from the audio: the identity while indexing, confirmed later by the full one. */
export async function quickAudioDigest(source: ByteSource, facts: AudioFacts, hasher: Hasher): Promise<string> {
  hasher.update(preamble('quick', facts));
  const { audioOffset, audioBytes } = facts;
  if (audioBytes <= QUICK_WHOLE_BYTES) {
    hasher.update(canonicalAudio(facts)(await source.read(audioOffset, audioBytes)));
    return hasher.hex();
  }
  if (facts.container === 'Ogg') {
    const first = await source.read(audioOffset, QUICK_OGG_BYTES);
    hasher.update(canonicalAudio(facts)(first));
    const last = await source.read(audioOffset + audioBytes - QUICK_OGG_BYTES, QUICK_OGG_BYTES);
    hasher.update(canonicalAudio(facts)(last.subarray(firstPage(last))));
    return hasher.hex();
  }
  const align = facts.frameBytes > 0 ? facts.frameBytes : 1;
  const length = Math.max(1, Math.floor(QUICK_BLOCK_BYTES / align)) * align;
  for (let block = 0; block < QUICK_BLOCKS; block += 1) {
    const at = Math.floor(((audioBytes - length) * block) / (QUICK_BLOCKS - 1) / align) * align;
    hasher.update(canonicalAudio(facts)(await source.read(audioOffset + at, length)));
  }
  return hasher.hex();
}

/** Where the first Ogg page begins among bytes; their length when none does. */
function firstPage(bytes: Uint8Array): number {
  for (let at = 0; at + 4 <= bytes.length; at += 1)
    if (bytes[at] === 0x4f && bytes[at + 1] === 0x67 && bytes[at + 2] === 0x67 && bytes[at + 3] === 0x53) return at;
  return bytes.length;
}
