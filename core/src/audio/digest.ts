import type { AudioFacts } from '../formats/audio-file.ts';
import type { ByteSource } from '../formats/byte-source.ts';

/** An incremental hash, injected by the platform (SHA-256). */
export interface Hasher {
  update(bytes: Uint8Array): void;
  /** Lower-case hexadecimal. */
  hex(): string;
}

/**
 * The audio digest, version 1 (docs/formats.md): SHA-256 over a line that names version, sample format, rate, channels, bits and
 * length, then the audio: PCM as little-endian interleaved samples, so that WAV, RF64 and AIFF holding the same samples agree;
 * coded audio as its coded bytes without tags.
 */
export const DIGEST_VERSION = 1;

/** Up to this many bytes of audio, the quick digest reads all of it. */
const QUICK_WHOLE_BYTES = 64 * 1024;
const QUICK_BLOCKS = 16;
const QUICK_BLOCK_BYTES = 4096;
const READ_BYTES = 1024 * 1024;

function preamble(kind: 'full' | 'quick', facts: AudioFacts): Uint8Array {
  const { sampleFormat, codec, sampleRateHz, channels, bitDepth, audioBytes } = facts;
  const format = sampleFormat === 'coded' ? codec : sampleFormat;
  return new TextEncoder().encode(
    `flagstone-audio-${kind}/${DIGEST_VERSION} ${format} ${sampleRateHz} ${channels} ${bitDepth} ${audioBytes}\n`,
  );
}

/** Little-endian samples: the bytes themselves, or each sample turned round. Whole samples only. */
function canonical(bytes: Uint8Array, facts: AudioFacts): Uint8Array {
  const width = facts.frameBytes / facts.channels;
  if (!facts.bigEndian || width < 2) return bytes;
  const turned = new Uint8Array(bytes.length);
  for (let at = 0; at + width <= bytes.length; at += width) {
    for (let byte = 0; byte < width; byte += 1) turned[at + byte] = bytes[at + width - 1 - byte] ?? 0;
  }
  return turned;
}

/** The digest over all of the audio, streamed in blocks of 1 MB. `onBytes` is told how many were read. */
export async function fullAudioDigest(
  source: ByteSource,
  facts: AudioFacts,
  hasher: Hasher,
  onBytes?: (bytes: number) => void,
): Promise<string> {
  hasher.update(preamble('full', facts));
  const step =
    facts.frameBytes > 0 ? Math.max(1, Math.floor(READ_BYTES / facts.frameBytes)) * facts.frameBytes : READ_BYTES;
  for (let at = 0; at < facts.audioBytes; at += step) {
    const bytes = await source.read(facts.audioOffset + at, Math.min(step, facts.audioBytes - at));
    hasher.update(canonical(bytes, facts));
    onBytes?.(bytes.length);
  }
  return hasher.hex();
}

/** The digest over at most 64 kB sampled evenly from the audio: the identity while indexing, confirmed later by the full one. */
export async function quickAudioDigest(source: ByteSource, facts: AudioFacts, hasher: Hasher): Promise<string> {
  hasher.update(preamble('quick', facts));
  if (facts.audioBytes <= QUICK_WHOLE_BYTES) {
    hasher.update(canonical(await source.read(facts.audioOffset, facts.audioBytes), facts));
    return hasher.hex();
  }
  const align = facts.frameBytes > 0 ? facts.frameBytes : 1;
  const length = Math.max(1, Math.floor(QUICK_BLOCK_BYTES / align)) * align;
  for (let block = 0; block < QUICK_BLOCKS; block += 1) {
    const at = Math.floor(((facts.audioBytes - length) * block) / (QUICK_BLOCKS - 1) / align) * align;
    hasher.update(canonical(await source.read(facts.audioOffset + at, length), facts));
  }
  return hasher.hex();
}
