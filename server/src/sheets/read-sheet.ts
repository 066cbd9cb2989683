import { createHash } from 'node:crypto';
import type { Readable } from 'node:stream';
import { AppError } from '@flagstone/core/errors';
import {
  SHEET_FILES,
  SHEET_VERSION,
  sheetEntrySchema,
  sheetManifestSchema,
  type SheetEntry,
  type SheetManifest,
} from '@flagstone/contract/change-sheet';
import { diskError } from '../disk/disk-errors.ts';
import yauzl, { type Entry, type ZipFile } from 'yauzl';
import { z } from 'zod';

/** Bounds of what comes from outside, in bytes: the manifest, one line, all lines. */
const MOST_MANIFEST = 1024 * 1024;
const MOST_LINE = 1024 * 1024;
const MOST_RECORDS = 4 * 1024 * 1024 * 1024;
/** A sheet has four files; more than some is none. */
const MOST_ENTRIES = 100;

/** A sheet that was opened: what it says of itself, and its lines as they stand in it. */
export interface OpenSheet {
  manifest: SheetManifest;
  /** As they are signed. */
  manifestBytes: Buffer;
  signature: string | undefined;
  /** The lines in their order, from 1; each is parsed, and one that is none throws SHEET_INVALID with its number. */
  entries: () => AsyncGenerator<{ line: number; entry: SheetEntry }>;
}

/**
 * Opens a change sheet and proves, before anything of it is used, that its lines are those that the manifest names. Nothing of it is unpacked onto a disk. Throws
 * SHEET_INVALID, SHEET_TOO_NEW, SHEET_TAMPERED, TOO_LARGE.
 */
export async function withSheet<Result>(file: string, work: (sheet: OpenSheet) => Promise<Result>): Promise<Result> {
  const zip = await yauzl
    .openPromise(file, { autoClose: false, lazyEntries: true, strictFileNames: true })
    .catch((cause: unknown) => {
      if ((cause as NodeJS.ErrnoException).code !== undefined) throw diskError(cause, file);
      throw new AppError('SHEET_INVALID', `The file is no whole ZIP: ${(cause as Error).message}.`, { cause });
    });
  try {
    return await work(await opened(zip));
  } finally {
    zip.close();
  }
}

async function opened(zip: ZipFile): Promise<OpenSheet> {
  const found = await filesIn(zip);
  const manifestFile = found.get(SHEET_FILES.manifest);
  const recordsFile = found.get(SHEET_FILES.records);
  if (!manifestFile || !recordsFile)
    throw new AppError(
      'SHEET_INVALID',
      `This is no change sheet: ${SHEET_FILES.manifest} and ${SHEET_FILES.records} are needed in it.`,
    );
  const manifestBytes = await wholeOf(zip, manifestFile, MOST_MANIFEST);
  const manifest = manifestIn(manifestBytes);
  const signatureFile = found.get(SHEET_FILES.signature);
  const signature = signatureFile && (await wholeOf(zip, signatureFile, MOST_MANIFEST)).toString('utf8').trim();
  await proveRecords(zip, recordsFile, manifest);
  return { manifest, manifestBytes, signature, entries: () => entriesOf(zip, recordsFile) };
}

/** The files of a ZIP by their names. Names that lead out of it are refused by the reader of ZIP files. */
async function filesIn(zip: ZipFile): Promise<Map<string, Entry>> {
  if (zip.entryCount > MOST_ENTRIES)
    throw new AppError('SHEET_INVALID', `This is no change sheet: it holds ${zip.entryCount} files.`);
  const found = new Map<string, Entry>();
  try {
    for await (const entry of zip.eachEntry()) {
      if (found.has(entry.fileName)) throw new Error(`“${entry.fileName}” stands in it twice`);
      found.set(entry.fileName, entry);
    }
  } catch (cause) {
    throw new AppError('SHEET_INVALID', `The ZIP cannot be read: ${(cause as Error).message}.`, { cause });
  }
  return found;
}

function manifestIn(bytes: Buffer): SheetManifest {
  let said: unknown;
  try {
    said = JSON.parse(bytes.toString('utf8'));
  } catch (cause) {
    throw new AppError('SHEET_INVALID', `${SHEET_FILES.manifest} is not JSON.`, { cause });
  }
  // The version is looked at first: what a later one holds is not known here.
  const version = z.object({ version: z.number() }).safeParse(said).data?.version ?? 0;
  if (version > SHEET_VERSION)
    throw new AppError(
      'SHEET_TOO_NEW',
      `The sheet has version ${version} of its form; version ${SHEET_VERSION} is known here.`,
    );
  const parsed = sheetManifestSchema.safeParse(said);
  if (!parsed.success)
    throw new AppError('SHEET_INVALID', `${SHEET_FILES.manifest}: ${z.prettifyError(parsed.error).slice(0, 500)}`);
  return parsed.data;
}

async function streamOf(zip: ZipFile, entry: Entry): Promise<Readable> {
  return zip.openReadStreamPromise(entry).catch((cause: unknown) => {
    throw new AppError('SHEET_INVALID', `${entry.fileName} cannot be read: ${(cause as Error).message}.`, { cause });
  });
}

async function wholeOf(zip: ZipFile, entry: Entry, most: number): Promise<Buffer> {
  if (entry.uncompressedSize > most)
    throw new AppError(
      'TOO_LARGE',
      `${entry.fileName} of the sheet has ${entry.uncompressedSize} bytes; ${most} are allowed.`,
    );
  const chunks: Buffer[] = [];
  for await (const chunk of chunksOf(await streamOf(zip, entry), entry.fileName)) chunks.push(chunk);
  return Buffer.concat(chunks);
}

/** The bytes of a file. The reader of ZIP files refuses one that has more than its heading says. */
async function* chunksOf(stream: Readable, name: string): AsyncGenerator<Buffer> {
  try {
    for await (const chunk of stream) yield chunk as Buffer;
  } catch (cause) {
    throw new AppError('SHEET_INVALID', `${name} is damaged or cut off: ${(cause as Error).message}.`, { cause });
  }
}

async function proveRecords(zip: ZipFile, entry: Entry, manifest: SheetManifest): Promise<void> {
  if (entry.uncompressedSize > MOST_RECORDS)
    throw new AppError(
      'TOO_LARGE',
      `${entry.fileName} of the sheet has ${entry.uncompressedSize} bytes; ${MOST_RECORDS} are allowed.`,
    );
  const named = manifest.files.find(({ name }) => name === SHEET_FILES.records);
  if (!named) throw new AppError('SHEET_INVALID', `The manifest does not name ${SHEET_FILES.records}.`);
  const hash = createHash('sha256');
  let bytes = 0;
  for await (const chunk of chunksOf(await streamOf(zip, entry), entry.fileName)) {
    hash.update(chunk);
    bytes += chunk.length;
  }
  if (bytes !== named.bytes || hash.digest('hex') !== named.sha256)
    throw new AppError(
      'SHEET_TAMPERED',
      `${SHEET_FILES.records} is not what the manifest of the sheet says: it was changed or damaged.`,
    );
}

async function* entriesOf(zip: ZipFile, file: Entry): AsyncGenerator<{ line: number; entry: SheetEntry }> {
  let line = 0;
  for await (const text of linesOf(chunksOf(await streamOf(zip, file), file.fileName))) {
    line += 1;
    yield { line, entry: entryIn(text, line) };
  }
}

/** Lines that are not empty. Throws SHEET_INVALID for one without an end. */
async function* linesOf(chunks: AsyncIterable<Buffer>): AsyncGenerator<string> {
  let rest: Buffer = Buffer.alloc(0);
  for await (const chunk of chunks) {
    const all = rest.length === 0 ? chunk : Buffer.concat([rest, chunk]);
    let from = 0;
    for (let end = all.indexOf(10); end >= 0; end = all.indexOf(10, from)) {
      if (end > from) yield all.toString('utf8', from, end);
      from = end + 1;
    }
    rest = all.subarray(from);
    if (rest.length > MOST_LINE)
      throw new AppError('SHEET_INVALID', `A line of ${SHEET_FILES.records} is longer than ${MOST_LINE} bytes.`);
  }
  if (rest.length > 0) yield rest.toString('utf8');
}

function entryIn(text: string, line: number): SheetEntry {
  const fail = (why: string, cause?: unknown): never => {
    throw new AppError('SHEET_INVALID', `Line ${line} of ${SHEET_FILES.records} ${why}`, { cause });
  };
  let said: unknown;
  try {
    said = JSON.parse(text);
  } catch (cause) {
    fail('is not JSON.', cause);
  }
  const parsed = sheetEntrySchema.safeParse(said);
  return parsed.success ? parsed.data : fail(`is no sound: ${z.prettifyError(parsed.error).slice(0, 500)}`);
}
