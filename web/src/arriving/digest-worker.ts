import { quickAudioDigest, type Hasher } from '@flagstone/core/audio/digest';
import type { ByteSource } from '@flagstone/core/formats/byte-source';
import { windowedSource } from '@flagstone/core/formats/byte-source';
import { readAudioFile } from '@flagstone/core/formats/read-audio-file';
import { sha256 } from '@noble/hashes/sha2.js';
import { bytesToHex } from '@noble/hashes/utils.js';

/** A file to be looked at: `quick`, which sound it is, by little of it; `whole`, the SHA-256 of all of it. */
export interface DigestTask {
  number: number;
  what: 'quick' | 'whole';
  file: File;
}
/** Null where the file cannot be read as a sound, or not at all. */
export interface DigestAnswer {
  number: number;
  digest: string | null;
}

const BLOCK_BYTES = 4 * 1024 * 1024;

/** By a package: the browser's own is there only where the page came by HTTPS, and takes no more than memory holds. */
function hasher(): Hasher {
  const hash = sha256.create();
  return { update: (bytes) => void hash.update(bytes), hex: () => bytesToHex(hash.digest()) };
}

function sourceOf(file: File): ByteSource {
  return {
    sizeBytes: file.size,
    read: async (offset, length) => new Uint8Array(await file.slice(offset, offset + length).arrayBuffer()),
  };
}

async function quickDigestOf(file: File): Promise<string> {
  const source = sourceOf(file);
  // What only the server reads is told apart there.
  const refuse = (): never => {
    throw new Error('M4A is read by the server');
  };
  const { facts } = await readAudioFile(windowedSource(source), refuse);
  return quickAudioDigest(source, facts, hasher());
}

async function wholeDigestOf(file: File): Promise<string> {
  const hash = hasher();
  for (let at = 0; at < file.size; at += BLOCK_BYTES)
    hash.update(new Uint8Array(await file.slice(at, at + BLOCK_BYTES).arrayBuffer()));
  return hash.hex();
}

self.onmessage = ({ data: { number, what, file } }: MessageEvent<DigestTask>) => {
  const answer = (digest: string | null): void => self.postMessage({ number, digest } satisfies DigestAnswer);
  // A file that cannot be read is sent all the same, or told when it is sent.
  (what === 'quick' ? quickDigestOf(file) : wholeDigestOf(file)).then(answer, () => answer(null));
};
