import { createHash } from 'node:crypto';
import { lstat, stat, unlink } from 'node:fs/promises';
import path from 'node:path';
import { AppError } from '@flagstone/core/errors';
import { windowedSource, type ByteSource } from '@flagstone/core/formats/byte-source';
import { planWrite } from '@flagstone/core/formats/plan-write';
import { keepsAudio, plannedSource } from '@flagstone/core/formats/write-plan';
import type { SoundRecord } from '@flagstone/core/record/fields';
import { writeSegments } from './copy-file.ts';
import { handleSource, syncFolder } from './drive-files.ts';
import { takeFolderRights } from './folder-rights.ts';
import { holdFolder, inHeld } from './held-folder.ts';
import { nameNew } from './name-new.ts';
import { openRegular } from './open-regular.ts';
import { readAudio } from './read-audio.ts';
import { temporaryName, whileUnderWay } from './temporary-names.ts';

const BLOCK_BYTES = 4 * 1024 * 1024;

/** A file of the disk to be copied, with a record that only the copy is to carry, or the bytes of one that was made. */
export type Contents = { path: string; record?: SoundRecord | undefined } | { bytes: Uint8Array };

/**
 * Puts a copy of a file, or one that was made, where nothing stands, by a temporary file that is flushed and read back before it gets its
 * name. The very same file that stands there already is left. Returns whether it was written. Throws NAME_TAKEN for another file, AUDIO_CHANGED
 * when what was read back differs, SYMLINK_OUTSIDE when its folder does not lie within another one (a real path).
 */
export async function keepFile(contents: Contents, shown: string, within: string): Promise<boolean> {
  const keep = (source: ByteSource) =>
    holdFolder(path.dirname(shown), within, (folder) => keepIn(folder, inHeld(folder, shown), source));
  return withContents(contents, keep);
}

async function keepIn(folder: string, target: string, source: ByteSource): Promise<boolean> {
  const there = await lstat(target).catch((error: NodeJS.ErrnoException) => {
    if (error.code !== 'ENOENT') throw error;
    return undefined;
  });
  if (there) {
    const isSame =
      there.isFile() &&
      there.size === source.sizeBytes &&
      (await withContents({ path: target }, digestOf)) === (await digestOf(source));
    if (isSame) return false;
    throw new AppError('NAME_TAKEN', `${target} is another file already.`);
  }
  await writeProvedIn(folder, source, target, (made) => nameNew(made, target));
  return true;
}

/**
 * Puts a copy of a file in the place of another one, which `putAside` takes away once the copy is written and read back, and not before. Throws NAME_TAKEN when something
 * stands there after that, AUDIO_CHANGED, SYMLINK_OUTSIDE.
 */
export async function replaceByCopy(
  source: string,
  shown: string,
  within: string,
  putAside: () => Promise<void>,
): Promise<void> {
  await withContents({ path: source }, (bytes) =>
    holdFolder(path.dirname(shown), within, (folder) => {
      const target = inHeld(folder, shown);
      return writeProvedIn(folder, bytes, target, async (made) => {
        await putAside();
        await nameNew(made, target);
      });
    }),
  );
}

/** Writes a temporary file in a folder that is held, reads it back and has it named. */
async function writeProvedIn(
  folder: string,
  source: ByteSource,
  target: string,
  name: (made: string) => Promise<void>,
): Promise<void> {
  const { ino } = await stat(folder);
  const temporary = temporaryName('part', `${ino}${(counter += 1)}`);
  await whileUnderWay(temporary, () => writeProved(source, path.join(folder, temporary), target, name));
  await syncFolder(folder);
}

let counter = 0;

async function writeProved(
  source: ByteSource,
  temporary: string,
  target: string,
  name: (made: string) => Promise<void>,
): Promise<void> {
  const written = createHash('sha256');
  try {
    await writeSegments(temporary, source, [{ kind: 'keep', offset: 0, length: source.sizeBytes }], (_, bytes) =>
      written.update(bytes),
    );
    if ((await withContents({ path: temporary }, digestOf)) !== written.digest('hex'))
      throw new AppError('AUDIO_CHANGED', `${target} could not be read back as it was written.`);
    await takeFolderRights(temporary);
    await name(temporary);
  } finally {
    await unlink(temporary).catch((error: NodeJS.ErrnoException) => {
      if (error.code !== 'ENOENT') throw error;
    });
  }
}

async function withContents<Value>(contents: Contents, work: (source: ByteSource) => Promise<Value>): Promise<Value> {
  const { source, close } = await openContents(contents);
  try {
    return await work(source);
  } finally {
    await close();
  }
}

/** Opens what is to be copied. Throws what opening a file throws, and what planWrite throws for one that cannot carry the record. */
export async function openContents(contents: Contents): Promise<{ source: ByteSource; close: () => Promise<void> }> {
  if ('bytes' in contents) {
    const { bytes } = contents;
    const read: ByteSource['read'] = (offset, length) => Promise.resolve(bytes.subarray(offset, offset + length));
    return { source: { sizeBytes: bytes.length, read }, close: () => Promise.resolve() };
  }
  const handle = await openRegular(contents.path);
  try {
    const source = handleSource(handle, (await handle.stat()).size);
    const { record } = contents;
    return { source: record ? await carrying(source, record, contents.path) : source, close: () => handle.close() };
  } catch (error) {
    await handle.close();
    throw error;
  }
}

/** The file as it would be if it carried a record; its audio is read where it stands. Throws AUDIO_CHANGED where that would be another one. */
async function carrying(source: ByteSource, record: SoundRecord, shown: string): Promise<ByteSource> {
  const { plan } = await planWrite(windowedSource(source), record);
  if (!plan) return source;
  const made = plannedSource(source, plan);
  const [before, after] = [await readAudio(source), await readAudio(made)];
  if (!keepsAudio(plan, before.facts) || after.facts.audioOffset !== plan.audioOffset)
    throw new AppError('AUDIO_CHANGED', `The audio of ${shown} would not be the same in the copy.`);
  return made;
}

async function digestOf(source: ByteSource): Promise<string> {
  const hash = createHash('sha256');
  for (let at = 0; at < source.sizeBytes; at += BLOCK_BYTES) hash.update(await source.read(at, BLOCK_BYTES));
  return hash.digest('hex');
}
