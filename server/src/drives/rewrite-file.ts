import { chmod, chown, open, rename, rm, stat, utimes, type FileHandle } from 'node:fs/promises';
import path from 'node:path';
import { AppError } from '@flagstone/core/errors';
import { fullAudioDigest } from '@flagstone/core/audio/digest';
import type { AudioFacts } from '@flagstone/core/formats/audio-file';
import { windowedSource, type ByteSource } from '@flagstone/core/formats/byte-source';
import { readWavAnatomy } from '@flagstone/core/formats/wav-reader';
import type { Segment, WritePlan } from '@flagstone/core/formats/write-plan';
import { diskError } from './disk-errors.ts';
import { handleSource, syncFolder, type DriveFiles, type FileStamp } from './drive-files.ts';
import { sha256 } from './read-audio.ts';

const COPY_BYTES = 4 * 1024 * 1024;

/** Temporary files stand beside the file and are named so that a restart can find and remove them. */
export const TEMPORARY_PREFIX = '.flagstone-write-';

export interface Rewritten {
  stamp: FileStamp;
  /** Full audio digest, the same before and after. */
  audioDigest: string;
}

/**
 * Carries out a write plan: a new file beside the old one, flushed to the disk, its audio digest proved to be that of the old file, then
 * put in its place in one step. Until that step the old file is untouched; when anything fails, the temporary file goes.
 * Throws FILE_CHANGED when the file is not the one the plan was made for, AUDIO_CHANGED when the proof fails.
 */
export async function rewriteFile(
  drive: DriveFiles,
  folder: string,
  name: string,
  expected: FileStamp,
  plan: WritePlan,
): Promise<Rewritten> {
  const full = await drive.existing(folder, name);
  const temporary = path.join(path.dirname(full), `${TEMPORARY_PREFIX}${process.pid}-${expected.inode}`);
  try {
    const before = await open(full, 'r');
    try {
      const old = await before.stat();
      checkStamp(expected, { sizeBytes: old.size, mtimeMs: old.mtimeMs, inode: String(old.ino) }, full);
      await checkWritable(full);
      const source = handleSource(before, old.size);
      const digest = await digestOf(source);
      await writeSegments(temporary, source, plan.segments);
      const written = await digestOfFile(temporary);
      if (written !== digest)
        throw new AppError('AUDIO_CHANGED', `The audio of ${full} would not be the same after writing.`);
      await chmod(temporary, old.mode);
      if (process.getuid?.() === 0) await chown(temporary, old.uid, old.gid);
      await utimes(temporary, old.atime, new Date());
      const now = await stat(full);
      checkStamp(expected, { sizeBytes: now.size, mtimeMs: now.mtimeMs, inode: String(now.ino) }, full);
      await rename(temporary, full);
      await syncFolder(path.dirname(full));
      return { stamp: await drive.stampOf(folder, name), audioDigest: digest };
    } finally {
      await before.close();
    }
  } catch (error) {
    await rm(temporary, { force: true });
    throw diskError(error, full);
  }
}

function checkStamp(expected: FileStamp, actual: FileStamp, full: string): void {
  if (
    expected.sizeBytes !== actual.sizeBytes ||
    expected.mtimeMs !== actual.mtimeMs ||
    expected.inode !== actual.inode
  ) {
    throw new AppError(
      'FILE_CHANGED',
      `${full} is not the file that was read: its size, time or number on the disk differs.`,
    );
  }
}

/** A file that its owner made read-only is respected, even where the account could write to it all the same. */
async function checkWritable(full: string): Promise<void> {
  const { mode } = await stat(full);
  if ((mode & 0o222) === 0) throw new AppError('FILE_READ_ONLY', `${full} is read-only.`);
}

async function writeSegments(temporary: string, source: ByteSource, segments: readonly Segment[]): Promise<void> {
  const handle = await open(temporary, 'wx', 0o600);
  try {
    for (const segment of segments) {
      if (segment.kind === 'bytes') await writeAll(handle, segment.bytes);
      else {
        for (let at = 0; at < segment.length; at += COPY_BYTES) {
          const length = Math.min(COPY_BYTES, segment.length - at);
          const bytes = await source.read(segment.offset + at, length);
          if (bytes.length !== length)
            throw new AppError('FILE_CHANGED', 'The file became shorter while it was being copied.');
          await writeAll(handle, bytes);
        }
      }
    }
    await handle.sync();
  } finally {
    await handle.close();
  }
}

async function writeAll(handle: FileHandle, bytes: Uint8Array): Promise<void> {
  for (let at = 0; at < bytes.length;) at += (await handle.write(bytes, at)).bytesWritten;
}

async function digestOf(source: ByteSource): Promise<string> {
  const { facts } = await readWavAnatomy(windowedSource(source));
  return fullAudioDigest(source, facts satisfies AudioFacts, sha256());
}

async function digestOfFile(full: string): Promise<string> {
  const handle = await open(full, 'r');
  try {
    return await digestOf(handleSource(handle, (await handle.stat()).size));
  } finally {
    await handle.close();
  }
}
