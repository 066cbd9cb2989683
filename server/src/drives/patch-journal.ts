import { createHash } from 'node:crypto';
import { AppError } from '@flagstone/core/errors';
import { concatBytes } from '@flagstone/core/formats/byte-source';
import type { Patch } from '@flagstone/core/formats/write-plan';
import { z } from 'zod';

/**
 * What an in-place write is about to do: the ranges with their old and their new bytes, and the file's old and new size. It lies beside the
 * file while the write runs; after a crash the write is finished from it. One line of JSON, the bytes, and the SHA-256 of both in hexadecimal.
 */
export interface PatchJournal {
  name: string;
  inode: string;
  oldSizeBytes: number;
  newSizeBytes: number;
  patches: (Patch & { old: Uint8Array })[];
}

const headSchema = z.object({
  version: z.literal(1),
  name: z.string(),
  inode: z.string(),
  oldSizeBytes: z.number(),
  newSizeBytes: z.number(),
  patches: z.array(z.object({ offset: z.number(), oldLength: z.number(), newLength: z.number() })),
});

const DIGEST_BYTES = 64;
const digestOf = (bytes: Uint8Array): Uint8Array =>
  new TextEncoder().encode(createHash('sha256').update(bytes).digest('hex'));

/** The journal as bytes. */
export function encodeJournal({ patches, ...head }: PatchJournal): Uint8Array {
  const ranges = patches.map(({ offset, old, bytes }) => ({ offset, oldLength: old.length, newLength: bytes.length }));
  const line = new TextEncoder().encode(`${JSON.stringify({ version: 1, ...head, patches: ranges })}\n`);
  const content = concatBytes([line, ...patches.flatMap(({ old, bytes }) => [old, bytes])]);
  return concatBytes([content, digestOf(content)]);
}

/** The journal of the bytes; undefined when they were cut short, in which case the file was not touched yet. */
export function decodeJournal(bytes: Uint8Array): PatchJournal | undefined {
  const content = bytes.subarray(0, Math.max(0, bytes.length - DIGEST_BYTES));
  if (Buffer.compare(digestOf(content), bytes.subarray(content.length)) !== 0) return undefined;
  const end = content.indexOf(10);
  const { patches, name, inode, oldSizeBytes, newSizeBytes } = headSchema.parse(
    JSON.parse(new TextDecoder().decode(content.subarray(0, end))),
  );
  let at = end + 1;
  const take = (length: number): Uint8Array => content.slice(at, (at += length));
  return {
    name,
    inode,
    oldSizeBytes,
    newSizeBytes,
    patches: patches.map(({ offset, oldLength, newLength }) => ({
      offset,
      old: take(oldLength),
      bytes: take(newLength),
    })),
  };
}

/** Throws FILE_CHANGED when a range of the file holds bytes that are neither the old nor the new ones: then somebody else wrote to it. */
export function checkTorn(journal: PatchJournal, patchIndex: number, current: Uint8Array): void {
  const patch = journal.patches[patchIndex];
  const foreign = current.findIndex((byte, index) => byte !== patch?.bytes[index] && byte !== patch?.old[index]);
  // A range beyond the old end may read as zeros after a power cut.
  if (!patch || foreign < 0 || patch.offset + foreign >= journal.oldSizeBytes) return;
  throw new AppError(
    'FILE_CHANGED',
    `${journal.name} was changed by another program after a write into it was cut short; its journal is kept.`,
  );
}
