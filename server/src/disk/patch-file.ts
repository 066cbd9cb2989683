import { constants } from 'node:fs';
import { open, unlink, type FileHandle } from 'node:fs/promises';
import path from 'node:path';
import { AppError } from '@flagstone/core/errors';
import { quickAudioDigest } from '@flagstone/core/audio/digest';
import type { AudioFacts } from '@flagstone/core/formats/audio-file';
import type { ByteSource } from '@flagstone/core/formats/byte-source';
import type { Patch } from '@flagstone/core/formats/write-plan';
import { createFile } from './copy-file.ts';
import { syncFolder } from './drive-files.ts';
import { encodeJournal, type PatchJournal } from './patch-journal.ts';
import { readAudio, sha256 } from './read-audio.ts';
import { temporaryName, whileUnderWay } from './temporary-names.ts';

/** The file as it will be, without being written: old bytes, and patches over them. */
export function patchedSource(source: ByteSource, patches: readonly Patch[], sizeBytes: number): ByteSource {
  return {
    sizeBytes,
    async read(offset, length) {
      const wanted = Math.max(0, Math.min(length, sizeBytes - offset));
      const bytes = new Uint8Array(wanted);
      bytes.set(await source.read(offset, Math.min(wanted, Math.max(0, source.sizeBytes - offset))));
      for (const patch of patches) {
        const from = Math.max(offset, patch.offset);
        const to = Math.min(offset + wanted, patch.offset + patch.bytes.length);
        if (from < to) bytes.set(patch.bytes.subarray(from - patch.offset, to - patch.offset), from - offset);
      }
      return bytes;
    },
  };
}

/**
 * Proves that patches leave the audio alone before a byte is written: the file as it will be has its audio in the same place with the same
 * format and the same quick digest. Throws AUDIO_CHANGED.
 */
export async function proveAudioUntouched(
  source: ByteSource,
  facts: AudioFacts,
  patches: readonly Patch[],
  sizeBytes: number,
): Promise<void> {
  const after = patchedSource(source, patches, sizeBytes);
  const { facts: planned } = await readAudio(after);
  const audioEnd = facts.audioOffset + facts.audioBytes;
  const overlaps = patches.some(({ offset, bytes }) => offset < audioEnd && offset + bytes.length > facts.audioOffset);
  const same =
    !overlaps &&
    sizeBytes >= audioEnd &&
    planned.audioOffset === facts.audioOffset &&
    planned.audioBytes === facts.audioBytes &&
    planned.decodedMd5 === facts.decodedMd5 &&
    (await quickAudioDigest(source, facts, sha256())) === (await quickAudioDigest(after, planned, sha256()));
  if (!same) throw new AppError('AUDIO_CHANGED', 'The audio would not be the same after writing.');
}

/**
 * Writes patches into a file under a journal that lies beside it: written and flushed before the file is touched, removed after the file is
 * flushed. What extends the file goes first, since only that can run out of space; when it does, the file is put back as it was.
 */
export async function patchFile(
  full: string,
  inode: string,
  source: ByteSource,
  patches: Patch[],
  sizeBytes: number,
): Promise<void> {
  const withOld = await Promise.all(
    patches.map(async (patch) => ({
      ...patch,
      old: (
        await source.read(patch.offset, Math.min(patch.bytes.length, Math.max(0, source.sizeBytes - patch.offset)))
      ).slice(),
    })),
  );
  // What the file loses at its end is kept too, so that it can be put back.
  if (sizeBytes < source.sizeBytes) {
    const old = (await source.read(sizeBytes, source.sizeBytes - sizeBytes)).slice();
    withOld.push({ offset: sizeBytes, bytes: new Uint8Array(0), old });
  }
  const journal: PatchJournal = {
    name: path.basename(full),
    inode,
    oldSizeBytes: source.sizeBytes,
    newSizeBytes: sizeBytes,
    patches: withOld.sort((a, b) => b.offset - a.offset),
  };
  const name = temporaryName('journal', inode);
  const journalPath = path.join(path.dirname(full), name);
  await whileUnderWay(name, async () => {
    await writeFlushed(journalPath, encodeJournal(journal));
    await syncFolder(path.dirname(full));
    // Not through a link that was put in its place, and only into the very file that the patches are for.
    const handle = await open(full, constants.O_RDWR | constants.O_NOFOLLOW).catch(
      async (cause: NodeJS.ErrnoException) => {
        await unlink(journalPath);
        throw new AppError('FILE_READ_ONLY', `${full} cannot be opened for writing: ${cause.message}`, { cause });
      },
    );
    try {
      if (String((await handle.stat()).ino) !== inode) {
        await unlink(journalPath);
        throw new AppError('FILE_CHANGED', `${full} is another file by now.`);
      }
      await applyJournal(handle, journal).catch(async (error: unknown) => {
        await putBack(handle, journal);
        await unlink(journalPath);
        throw error;
      });
    } finally {
      await handle.close();
    }
    await unlink(journalPath);
    await syncFolder(path.dirname(full));
  });
}

async function writeFlushed(file: string, bytes: Uint8Array): Promise<void> {
  const handle = await createFile(file);
  try {
    await handle.writeFile(bytes);
    await handle.sync();
  } catch (error) {
    await handle.close();
    await unlink(file);
    throw error;
  }
  await handle.close();
}

/** Redoes a journal; idempotent. */
export async function applyJournal(handle: FileHandle, journal: PatchJournal): Promise<void> {
  for (const { offset, bytes } of journal.patches) await writeAt(handle, bytes, offset);
  await handle.truncate(journal.newSizeBytes);
  await handle.sync();
}

async function putBack(handle: FileHandle, journal: PatchJournal): Promise<void> {
  for (const { offset, old } of journal.patches) await writeAt(handle, old, offset);
  await handle.truncate(journal.oldSizeBytes);
  await handle.sync();
}

async function writeAt(handle: FileHandle, bytes: Uint8Array, offset: number): Promise<void> {
  for (let at = 0; at < bytes.length;)
    at += (await handle.write(bytes, at, bytes.length - at, offset + at)).bytesWritten;
}
