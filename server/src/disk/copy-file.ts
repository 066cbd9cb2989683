import { open, type FileHandle } from 'node:fs/promises';
import path from 'node:path';
import { AppError } from '@flagstone/core/errors';
import type { ByteSource } from '@flagstone/core/formats/byte-source';
import type { Segment } from '@flagstone/core/formats/write-plan';

const COPY_BYTES = 4 * 1024 * 1024;

/** Opens a new file for writing. Throws FOLDER_READ_ONLY where the account may not make one. */
export async function createFile(target: string): Promise<FileHandle> {
  return open(target, 'wx', 0o600).catch((cause: NodeJS.ErrnoException) => {
    if (cause.code !== 'EACCES' && cause.code !== 'EPERM') throw cause;
    throw new AppError('FOLDER_READ_ONLY', `${path.dirname(target)} is read-only.`, { cause });
  });
}

/**
 * Writes a new file from segments and flushes it. Ranges are copied in blocks, the next one being read while one is written; `onKept` sees
 * every copied block with its offset in the old file. Throws FILE_CHANGED when the old file became shorter.
 */
export async function writeSegments(
  target: string,
  source: ByteSource,
  segments: readonly Segment[],
  onKept: (offset: number, bytes: Uint8Array) => void,
): Promise<void> {
  const handle = await createFile(target);
  try {
    for (const segment of segments) {
      if (segment.kind === 'bytes') await writeAll(handle, segment.bytes);
      else await copyRange(handle, source, segment.offset, segment.length, onKept);
    }
    await handle.sync();
  } finally {
    await handle.close();
  }
}

async function copyRange(
  handle: FileHandle,
  source: ByteSource,
  offset: number,
  length: number,
  onKept: (offset: number, bytes: Uint8Array) => void,
): Promise<void> {
  const read = (at: number): Promise<Uint8Array> => source.read(offset + at, Math.min(COPY_BYTES, length - at));
  let next = read(0);
  for (let at = 0; at < length; at += COPY_BYTES) {
    const bytes = await next;
    if (bytes.length !== Math.min(COPY_BYTES, length - at))
      throw new AppError('FILE_CHANGED', 'The file became shorter while it was being copied.');
    const writing = writeAll(handle, bytes);
    if (at + COPY_BYTES < length) {
      next = read(at + COPY_BYTES);
      // Awaited in the next round; a fault of the write must not leave it unhandled.
      next.catch(() => undefined);
    }
    onKept(offset + at, bytes);
    await writing;
  }
}

async function writeAll(handle: FileHandle, bytes: Uint8Array): Promise<void> {
  for (let at = 0; at < bytes.length;) at += (await handle.write(bytes, at)).bytesWritten;
}
