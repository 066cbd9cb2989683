import { createHash } from 'node:crypto';
import { AppError } from '@flagstone/core/errors';
import { concatBytes } from '@flagstone/core/formats/byte-source';
import type { Patch } from '@flagstone/core/formats/write-plan';
import { z } from 'zod';
import { isSigned, signatureOf } from './journal-keys.ts';

/**
 * What an in-place write is about to do: the ranges with their old and their new bytes, and the file's old and new size. It lies beside the
 * file while the write runs; after a crash the write is finished from it. One line of JSON, the bytes, and the HMAC-SHA-256 of both in hexadecimal, made with
 * a key of this installation. Versions before had the plain SHA-256.
 */
export interface PatchJournal {
  name: string;
  inode: string;
  oldSizeBytes: number;
  newSizeBytes: number;
  patches: (Patch & { old: Uint8Array })[];
}

const size = z.number().int().min(0);
const headSchema = z.object({
  version: z.union([z.literal(1), z.literal(2)]),
  name: z.string(),
  inode: z.string(),
  oldSizeBytes: size,
  newSizeBytes: size,
  patches: z.array(z.object({ offset: size, oldLength: size, newLength: size })).max(10_000),
});

const DIGEST_BYTES = 64;
const digestOf = (bytes: Uint8Array): Uint8Array =>
  new TextEncoder().encode(createHash('sha256').update(bytes).digest('hex'));

/** The journal as bytes. */
export function encodeJournal({ patches, ...head }: PatchJournal): Uint8Array {
  const ranges = patches.map(({ offset, old, bytes }) => ({ offset, oldLength: old.length, newLength: bytes.length }));
  const line = new TextEncoder().encode(`${JSON.stringify({ version: 2, ...head, patches: ranges })}\n`);
  const content = concatBytes([line, ...patches.flatMap(({ old, bytes }) => [old, bytes])]);
  return concatBytes([content, new TextEncoder().encode(signatureOf(content))]);
}

/** What a journal says, whether this installation signed it, and whether it is at least whole. */
export type ReadJournal = PatchJournal & { isSigned: boolean; isWhole: boolean };

/**
 * The journal of the bytes; undefined when they were cut short (the file was not touched yet then) or say nothing that can be followed. One of
 * a version before is not signed, but whole; one of another installation is neither, and still no reason to take its file for untouched.
 */
export function decodeJournal(bytes: Uint8Array): ReadJournal | undefined {
  const content = bytes.subarray(0, Math.max(0, bytes.length - DIGEST_BYTES));
  const signature = bytes.subarray(content.length);
  const end = content.indexOf(10);
  const head = headSchema.safeParse(jsonOf(new TextDecoder().decode(content.subarray(0, Math.max(0, end)))));
  if (!head.success) return undefined;
  const { patches, name, inode, oldSizeBytes, newSizeBytes } = head.data;
  const told = patches.reduce((sum, { oldLength, newLength }) => sum + oldLength + newLength, end + 1);
  if (told !== content.length) return undefined;
  const signed = isSigned(content, signature);
  let at = end + 1;
  const take = (length: number): Uint8Array => content.slice(at, (at += length));
  return {
    isSigned: signed,
    isWhole: signed || Buffer.compare(digestOf(content), signature) === 0,
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

function jsonOf(text: string): unknown {
  try {
    return JSON.parse(text);
  } catch {
    return undefined;
  }
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
