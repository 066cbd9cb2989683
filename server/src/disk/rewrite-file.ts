import { chmod, chown, lstat, rename, rm, utimes } from 'node:fs/promises';
import path from 'node:path';
import { AppError } from '@flagstone/core/errors';
import { AudioDigester, fullAudioDigest } from '@flagstone/core/audio/digest';
import type { AudioFacts } from '@flagstone/core/formats/audio-file';
import type { ByteSource } from '@flagstone/core/formats/byte-source';
import { patchesOf, type WritePlan } from '@flagstone/core/formats/write-plan';
import { writeSegments } from './copy-file.ts';
import { diskError } from './disk-errors.ts';
import { openRegular } from './open-regular.ts';
import { isSameFile, stampFrom, type FileStamp } from './file-stamp.ts';
import { handleSource, syncFolder, type DriveFiles } from './drive-files.ts';
import { patchFile, proveAudioUntouched } from './patch-file.ts';
import { readAudio, sha256 } from './read-audio.ts';
import { temporaryName, whileUnderWay } from './temporary-names.ts';

/** What a person may choose about how files are written. */
export interface RewriteOptions {
  /** Copies even where the file could be written in place. */
  alwaysCopy?: boolean;
  /** Leaves the modification time as it was. */
  keepTime?: boolean;
  /** Called just before the file itself is touched; what it throws leaves the file as it is. */
  beforeTouching?: () => Promise<void>;
}

export interface Rewritten {
  stamp: FileStamp;
  how: 'in place' | 'copy';
  /** Full audio digest, proved to be the same before and after; absent for a write in place, which never touches the audio. */
  audioDigest?: string;
}

/**
 * Carries out a write plan. Where the audio stays put and little else changes, the file is written in place under a journal; else a new file
 * is made beside the old one, flushed, its audio digest proved to be that of the old file, and put in its place in one step. When
 * anything fails, the file is as it was. Throws FILE_CHANGED when the file is not the one the plan was made for, AUDIO_CHANGED when the
 * proof fails.
 */
export async function rewriteFile(
  drive: DriveFiles,
  folder: string,
  name: string,
  expected: FileStamp,
  plan: WritePlan,
  options: RewriteOptions = {},
): Promise<Rewritten> {
  return drive.holding(folder, name, (full) => rewriteHeld(full, expected, plan, options));
}

async function rewriteHeld(
  full: string,
  expected: FileStamp,
  plan: WritePlan,
  options: RewriteOptions,
): Promise<Rewritten> {
  try {
    const before = await openRegular(full);
    try {
      const old = await before.stat();
      checkStamp(expected, stampFrom(old), full);
      if ((old.mode & 0o222) === 0) throw new AppError('FILE_READ_ONLY', `${full} is read-only.`);
      const source = handleSource(before, old.size);
      const { facts } = await readAudio(source);
      // A file with several names may be kept by a backup that shares it: only this name is to change.
      const mustCopy = options.alwaysCopy === true || old.nlink > 1;
      const patches = mustCopy ? undefined : await patchesOf(plan, source, facts);
      let audioDigest: string | undefined;
      if (patches) {
        await proveAudioUntouched(source, facts, patches, plan.sizeBytes);
        checkStamp(expected, await stampNow(full), full);
        await options.beforeTouching?.();
        await patchFile(full, expected.inode, source, patches, plan.sizeBytes);
      } else {
        audioDigest = await replaceByCopy(full, expected, source, facts, plan, options.beforeTouching);
      }
      if (options.keepTime) await utimes(full, old.atime, old.mtime);
      const stamp = await stampNow(full);
      return { stamp, how: patches ? 'in place' : 'copy', ...(audioDigest === undefined ? {} : { audioDigest }) };
    } finally {
      await before.close();
    }
  } catch (error) {
    throw diskError(error, full);
  }
}

/** Of the file itself: what is a link by now is another one. */
async function stampNow(full: string): Promise<FileStamp> {
  return stampFrom(await lstat(full));
}

function checkStamp(expected: FileStamp, actual: FileStamp, full: string): void {
  if (isSameFile(expected, actual, true)) return;
  const message = `${full} is not the file that was read: its size, time or number on the disk differs.`;
  throw new AppError('FILE_CHANGED', message);
}

/** Returns the full audio digest, which was computed of the old audio while it was copied, and of the new file read back. */
async function replaceByCopy(
  full: string,
  expected: FileStamp,
  source: ByteSource,
  facts: AudioFacts,
  plan: WritePlan,
  beforeTouching: () => Promise<void> = () => Promise.resolve(),
): Promise<string> {
  const name = temporaryName('part', expected.inode);
  const temporary = path.join(path.dirname(full), name);
  return whileUnderWay(name, async () => {
    try {
      const digester = new AudioDigester(facts, sha256());
      const end = facts.audioOffset + facts.audioBytes;
      await writeSegments(temporary, source, plan.segments, (offset, bytes) => {
        const from = Math.max(0, facts.audioOffset - offset);
        const to = Math.min(bytes.length, end - offset);
        if (from < to) digester.update(bytes.subarray(from, to));
      });
      const digest = digester.hex();
      if ((await digestOfFile(temporary, facts)) !== digest)
        throw new AppError('AUDIO_CHANGED', `The audio of ${full} would not be the same after writing.`);
      const { mode, uid, gid, atime } = await lstat(full);
      checkStamp(expected, await stampNow(full), full);
      await chmod(temporary, mode);
      if (process.getuid?.() === 0) await chown(temporary, uid, gid);
      await utimes(temporary, atime, new Date());
      await beforeTouching();
      await rename(temporary, full);
      await syncFolder(path.dirname(full));
      return digest;
    } catch (error) {
      await rm(temporary, { force: true });
      throw error;
    }
  });
}

/** The full audio digest of a file that was just written; a FLAC's own MD5 of its samples has to be the same too. */
async function digestOfFile(full: string, { decodedMd5 }: AudioFacts): Promise<string> {
  const handle = await openRegular(full);
  try {
    const source = handleSource(handle, (await handle.stat()).size);
    const { facts } = await readAudio(source);
    return facts.decodedMd5 === decodedMd5 ? await fullAudioDigest(source, facts, sha256()) : '';
  } finally {
    await handle.close();
  }
}
