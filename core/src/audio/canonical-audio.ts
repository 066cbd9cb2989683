import type { AudioFacts } from '../formats/audio-file.ts';
import { concatBytes } from '../formats/byte-source.ts';

type Canonical = (bytes: Uint8Array) => Uint8Array;

/**
 * The audio of a file in the form that is the same in every container, as a function that is fed its bytes in order: PCM as WAV stores it,
 * Ogg without its page headers, other coded audio as it is. Cuts may fall anywhere.
 */
export function canonicalAudio(facts: AudioFacts): Canonical {
  if (facts.container === 'Ogg') return withoutPageHeaders();
  const width = facts.frameBytes / facts.channels;
  if (facts.sampleFormat === 'integer' && width === 1 && facts.signedBytes)
    return (bytes) => bytes.map((byte) => byte ^ 0x80);
  return facts.bigEndian && width >= 2 ? turnedRound(width) : (bytes) => bytes;
}

/** Each sample turned round; what a cut leaves of a sample waits for the next bytes. */
function turnedRound(width: number): Canonical {
  let rest: Uint8Array = new Uint8Array(0);
  return (more) => {
    const bytes = rest.length > 0 ? concatBytes([rest, more]) : more;
    const whole = bytes.length - (bytes.length % width);
    rest = bytes.slice(whole);
    const turned = new Uint8Array(whole);
    for (let at = 0; at < whole; at += width) {
      for (let byte = 0; byte < width; byte += 1) turned[at + byte] = bytes[at + width - 1 - byte] ?? 0;
    }
    return turned;
  };
}

const FIXED_HEADER_BYTES = 27;

/** The segments of Ogg pages one after another (RFC 3533 §6), so that page numbers and checksums do not count. */
function withoutPageHeaders(): Canonical {
  let header: number[] = [];
  let bodyLeft = 0;
  return (bytes) => {
    const parts: Uint8Array[] = [];
    for (let at = 0; at < bytes.length;) {
      if (bodyLeft > 0) {
        const taken = bytes.subarray(at, at + bodyLeft);
        parts.push(taken);
        bodyLeft -= taken.length;
        at += taken.length;
        continue;
      }
      header.push(bytes[at] ?? 0);
      at += 1;
      const segments = header[FIXED_HEADER_BYTES - 1];
      if (segments === undefined || header.length < FIXED_HEADER_BYTES + segments) continue;
      bodyLeft = header.slice(FIXED_HEADER_BYTES).reduce((total, length) => total + length, 0);
      header = [];
    }
    return concatBytes(parts);
  };
}
