import { createWriteStream } from 'node:fs';
import { Transform } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { crc32 } from 'node:zlib';
import { zipName } from '@flagstone/core/arrivals/zip-name';
import { AppError } from '@flagstone/core/errors';
import yauzl, { type Entry, type ZipFile } from 'yauzl';
import { diskError } from './disk-errors.ts';

/** Most files in one pack. */
const MOST_ENTRIES = 100_000;
/** Below this no pack is refused for how tightly it is packed: silence packs a thousand times, and that is no harm while it stays small. */
const MUCH_BYTES = 1024 ** 3;
/** Sound packs to a half or a third (common practice), series of silent takes to a twentieth. */
const MOST_RATIO = 200;

/** Methods of packing that are read here: stored and deflated (APPNOTE.TXT §4.4.5). */
const METHODS = [0, 8];

/** What stands in a pack. */
export interface PackEntry {
  index: number;
  /** As the pack has it, as text; whoever uses it looks whether it leads out. */
  name: string;
  /** The pack does not say what its name is written in. */
  isGuessed: boolean;
  isFolder: boolean;
  bytes: number;
  /** Why it cannot be unpacked. */
  fault: string | undefined;
}

/** A pack that is open: what stands in it, and how it is taken out. */
export interface OpenPack {
  entries: PackEntry[];
  /** Takes an entry out into a new file; proves its checksum, and that it has as many bytes as it says. Throws FORMAT_DAMAGED, DISK_FULL. */
  extract: (index: number, file: string) => Promise<void>;
}

/**
 * Opens a ZIP file, whatever is in it. Throws FORMAT_DAMAGED for what is no whole one, TOO_LARGE for one that holds too many files or unpacks to many times its size, as no sounds do.
 */
export async function withPack<Result>(file: string, work: (pack: OpenPack) => Promise<Result>): Promise<Result> {
  const zip = await yauzl
    .openPromise(file, { autoClose: false, lazyEntries: true, decodeStrings: false })
    .catch((cause: unknown) => {
      if ((cause as NodeJS.ErrnoException).code !== undefined) throw diskError(cause, file);
      throw damaged('The pack is no whole ZIP file', cause);
    });
  try {
    const raw = await entriesOf(zip);
    const bytes = raw.reduce((sum, { uncompressedSize }) => sum + uncompressedSize, 0);
    if (bytes > MUCH_BYTES && bytes > zip.fileSize * MOST_RATIO)
      throw new AppError(
        'TOO_LARGE',
        `The pack has ${zip.fileSize} bytes and would unpack to ${bytes}: no sounds pack so tightly.`,
      );
    return await work({
      entries: raw.map((entry, index) => told(entry, index)),
      extract: (index, target) => extract(zip, raw[index], target),
    });
  } finally {
    zip.close();
  }
}

const damaged = (what: string, cause: unknown): AppError =>
  new AppError('FORMAT_DAMAGED', `${what}: ${(cause as Error).message.replace(/\.+$/, '')}.`, { cause });

async function entriesOf(zip: ZipFile): Promise<Entry[]> {
  if (zip.entryCount > MOST_ENTRIES)
    throw new AppError('TOO_LARGE', `The pack holds ${zip.entryCount} files; ${MOST_ENTRIES} are allowed.`);
  const entries: Entry[] = [];
  try {
    for await (const entry of zip.eachEntry()) entries.push(entry);
  } catch (cause) {
    throw damaged('The pack cannot be read', cause);
  }
  return entries;
}

function told(entry: Entry, index: number): PackEntry {
  // Without decoding, the name is the bytes as they stand.
  const bytes = entry.fileName as unknown as Buffer;
  const { name, isGuessed } = zipName({ bytes, flags: entry.generalPurposeBitFlag, extraFields: entry.extraFields });
  const fault = entry.isEncrypted()
    ? 'It is encrypted: unpack it elsewhere and hand over the files.'
    : METHODS.includes(entry.compressionMethod)
      ? undefined
      : `It is packed by method ${entry.compressionMethod}, which is not read here: unpack it elsewhere and hand over the files.`;
  return { index, name, isGuessed, isFolder: /[/\\]$/.test(name), bytes: entry.uncompressedSize, fault };
}

async function extract(zip: ZipFile, entry: Entry | undefined, file: string): Promise<void> {
  if (!entry) throw new AppError('FILE_VANISHED', 'The pack holds no such file any more.');
  const stream = await zip.openReadStreamPromise(entry).catch((cause: unknown) => {
    throw damaged('It cannot be unpacked', cause);
  });
  let checksum = 0;
  const summing = new Transform({
    transform(block: Buffer, _encoding, done) {
      checksum = crc32(block, checksum);
      done(null, block);
    },
  });
  await pipeline(stream, summing, createWriteStream(file, { flags: 'wx', mode: 0o600, flush: true })).catch(
    (cause: unknown) => {
      const { syscall } = cause as NodeJS.ErrnoException;
      throw syscall === 'write' || syscall === 'open' || syscall === 'fsync'
        ? diskError(cause, file)
        : damaged('It is damaged in the pack', cause);
    },
  );
  if (checksum !== entry.crc32)
    throw new AppError('FORMAT_DAMAGED', 'It is damaged in the pack: its checksum is another one.');
}
