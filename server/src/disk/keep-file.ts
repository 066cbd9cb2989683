import { createHash } from 'node:crypto';
import { lstat, rename, unlink } from 'node:fs/promises';
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

/** How a file is put somewhere, and what it may replace. */
export interface Placing {
  /** By which it is proved. */
  algorithm: 'sha256' | 'sha512';
  /** The digest of a file that was put there before and may be replaced while it is still that very one; null for none. */
  replaces: string | null;
}

/** A file that was put somewhere, or stands there already. */
export interface PlacedFile {
  isWritten: boolean;
  /** Of all its bytes, by the algorithm that was asked for. */
  digest: string;
  sizeBytes: number;
}

/**
 * Puts a copy of a file, or one that was made, where nothing stands, by a temporary file that is flushed and read back before it gets its
 * name. The very same file that stands there already is left. Returns whether it was written. Throws NAME_TAKEN for another file, AUDIO_CHANGED
 * when what was read back differs, SYMLINK_OUTSIDE when its folder does not lie within another one (a real path).
 */
export async function keepFile(contents: Contents, shown: string, within: string): Promise<boolean> {
  return (await placeFile(contents, shown, within, { algorithm: 'sha256', replaces: null })).isWritten;
}

/** As keepFile, and tells the digest of what stands there then; it may replace a file that it put there before. Throws what keepFile throws. */
export function placeFile(contents: Contents, shown: string, within: string, placing: Placing): Promise<PlacedFile> {
  const temporary = newTemporary();
  return whileUnderWay(temporary, () => placeAs(temporary, { contents, shown, within, placing }));
}

/** What is to be put where, and how. */
export interface PlaceTask {
  contents: Contents;
  shown: string;
  within: string;
  placing: Placing;
}

/** The same by a temporary name that whoever asks for it holds under way: a thread has no say in what its process is at. */
export function placeAs(temporary: string, { contents, shown, within, placing }: PlaceTask): Promise<PlacedFile> {
  const place = (source: ByteSource) =>
    holdFolder(path.dirname(shown), within, (folder) =>
      placeIn(folder, inHeld(folder, shown), source, placing, temporary),
    );
  return withContents(contents, place);
}

let counter = 0;

/** A name for a file that is being made, which no other one of this process has. */
export function newTemporary(): string {
  return temporaryName('part', `000${(counter += 1)}`);
}

async function placeIn(
  folder: string,
  target: string,
  source: ByteSource,
  { algorithm, replaces }: Placing,
  temporary: string,
): Promise<PlacedFile> {
  const { sizeBytes } = source;
  const there = await lstat(target).catch((error: NodeJS.ErrnoException) => {
    if (error.code !== 'ENOENT') throw error;
    return undefined;
  });
  let name = (made: string): Promise<void> => nameNew(made, target);
  if (there) {
    const standing =
      there.isFile() && (there.size === sizeBytes || replaces !== null) ? await fileDigest(target, algorithm) : '';
    if (there.size === sizeBytes && standing === (await digestOf(source, algorithm)))
      return { isWritten: false, digest: standing, sizeBytes };
    if (replaces === null || standing !== replaces)
      throw new AppError('NAME_TAKEN', `${target} is another file already.`);
    name = (made) => rename(made, target);
  }
  const digest = await writeProvedIn(folder, temporary, source, target, algorithm, name);
  return { isWritten: true, digest, sizeBytes };
}

/** The digest of all bytes of a file. Throws what opening it throws. */
export function fileDigest(file: string, algorithm: Placing['algorithm']): Promise<string> {
  return withContents({ path: file }, (source) => digestOf(source, algorithm));
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
      const temporary = newTemporary();
      return whileUnderWay(temporary, () =>
        writeProvedIn(folder, temporary, bytes, target, 'sha256', async (made) => {
          await putAside();
          await nameNew(made, target);
        }),
      );
    }),
  );
}

/** Writes a temporary file in a folder that is held, reads it back and has it named. Returns its digest. */
async function writeProvedIn(
  folder: string,
  temporary: string,
  source: ByteSource,
  target: string,
  algorithm: Placing['algorithm'],
  name: (made: string) => Promise<void>,
): Promise<string> {
  const digest = await writeProved(source, path.join(folder, temporary), target, algorithm, name);
  await syncFolder(folder);
  return digest;
}

async function writeProved(
  source: ByteSource,
  temporary: string,
  target: string,
  algorithm: Placing['algorithm'],
  name: (made: string) => Promise<void>,
): Promise<string> {
  const written = createHash(algorithm);
  try {
    await writeSegments(temporary, source, [{ kind: 'keep', offset: 0, length: source.sizeBytes }], (_, bytes) =>
      written.update(bytes),
    );
    const digest = written.digest('hex');
    if (!(await readsBackAs(source, temporary)))
      throw new AppError('AUDIO_CHANGED', `${target} could not be read back as it was written.`);
    await takeFolderRights(temporary);
    await name(temporary);
    return digest;
  } finally {
    await unlink(temporary).catch((error: NodeJS.ErrnoException) => {
      if (error.code !== 'ENOENT') throw error;
    });
  }
}

/** Whether a file that was written says, byte by byte, what it was written from: that costs a tenth of a second digest. */
function readsBackAs(source: ByteSource, file: string): Promise<boolean> {
  return withContents({ path: file }, async (made) => {
    if (made.sizeBytes !== source.sizeBytes) return false;
    for (let at = 0; at < source.sizeBytes; at += BLOCK_BYTES) {
      const [wanted, written] = await Promise.all([source.read(at, BLOCK_BYTES), made.read(at, BLOCK_BYTES)]);
      if (Buffer.compare(wanted, written) !== 0) return false;
    }
    return true;
  });
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

async function digestOf(source: ByteSource, algorithm: Placing['algorithm']): Promise<string> {
  const hash = createHash(algorithm);
  for (let at = 0; at < source.sizeBytes; at += BLOCK_BYTES) hash.update(await source.read(at, BLOCK_BYTES));
  return hash.digest('hex');
}
