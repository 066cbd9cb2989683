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
import { PART_FILE_NAMES, PART_FILES, type PartFile } from '@flagstone/contract/sheet-parts';
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
  /** What it brings beside the records, file by file; those that this version knows. */
  parts: { file: PartFile; lines: () => AsyncGenerator<PartLine> }[];
}

/** A line of a file beside the records, parsed; `ofLine` is the line of the sound that is meant, null where none is. */
export interface PartLine {
  line: number;
  ofLine: number | null;
  said: Record<string, unknown>;
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
  await prove(zip, recordsFile, manifest);
  const partFiles = PART_FILE_NAMES.flatMap((file) => {
    const entry = found.get(PART_FILES[file].name);
    return entry ? [{ file, entry }] : [];
  });
  // All of it is kept in the database, of which a file that was packed tightly must not take more than one of that many lines.
  const bytes = partFiles.reduce((sum, { entry }) => sum + entry.uncompressedSize, recordsFile.uncompressedSize);
  if (bytes > MOST_RECORDS)
    throw new AppError('TOO_LARGE', `The sheet has ${bytes} bytes of lines; ${MOST_RECORDS} are allowed.`);
  for (const { entry } of partFiles) await prove(zip, entry, manifest);
  const parts = partFiles.map(({ file, entry }) => ({ file, lines: () => partLinesOf(zip, file, entry) }));
  return { manifest, manifestBytes, signature, entries: () => entriesOf(zip, recordsFile), parts };
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

/** Holds a file of a sheet against its manifest. */
async function prove(zip: ZipFile, entry: Entry, manifest: SheetManifest): Promise<void> {
  const { fileName } = entry;
  if (entry.uncompressedSize > MOST_RECORDS)
    throw new AppError(
      'TOO_LARGE',
      `${fileName} of the sheet has ${entry.uncompressedSize} bytes; ${MOST_RECORDS} are allowed.`,
    );
  const named = manifest.files.find(({ name }) => name === fileName);
  if (!named) throw new AppError('SHEET_INVALID', `The manifest does not name ${fileName}.`);
  const hash = createHash('sha256');
  let bytes = 0;
  for await (const chunk of chunksOf(await streamOf(zip, entry), fileName)) {
    hash.update(chunk);
    bytes += chunk.length;
  }
  if (bytes !== named.bytes || hash.digest('hex') !== named.sha256)
    throw new AppError(
      'SHEET_TAMPERED',
      `${fileName} is not what the manifest of the sheet says: it was changed or damaged.`,
    );
}

async function* entriesOf(zip: ZipFile, file: Entry): AsyncGenerator<{ line: number; entry: SheetEntry }> {
  for await (const { line, said } of parsedLines(zip, file, sheetEntrySchema)) yield { line, entry: said };
}

async function* partLinesOf(zip: ZipFile, name: PartFile, file: Entry): AsyncGenerator<PartLine> {
  for await (const { line, said } of parsedLines(zip, file, PART_FILES[name].schema as z.ZodType<PartLine['said']>))
    yield { line, said, ofLine: typeof said['line'] === 'number' ? said['line'] : null };
}

/** The lines of a file, from 1. Throws SHEET_INVALID with the number of one that is not of its form. */
async function* parsedLines<Said>(
  zip: ZipFile,
  file: Entry,
  schema: z.ZodType<Said>,
): AsyncGenerator<{ line: number; said: Said }> {
  let line = 0;
  for await (const text of linesOf(chunksOf(await streamOf(zip, file), file.fileName), file.fileName)) {
    line += 1;
    const fail = (why: string, cause?: unknown): never => {
      throw new AppError('SHEET_INVALID', `Line ${line} of ${file.fileName} ${why}`, { cause });
    };
    let json: unknown;
    try {
      json = JSON.parse(text);
    } catch (cause) {
      fail('is not JSON.', cause);
    }
    if (MAY_BE_NO_TEXT.test(text) && !isText(json)) fail('holds a text with a NUL, or with half a character.');
    const parsed = schema.safeParse(json);
    yield {
      line,
      said: parsed.success ? parsed.data : fail(`is of another form: ${z.prettifyError(parsed.error).slice(0, 500)}`),
    };
  }
}

/** Lines that are not empty. Throws SHEET_INVALID for one without an end. */
async function* linesOf(chunks: AsyncIterable<Buffer>, name: string): AsyncGenerator<string> {
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
      throw new AppError('SHEET_INVALID', `A line of ${name} is longer than ${MOST_LINE} bytes.`);
  }
  if (rest.length > 0) yield rest.toString('utf8');
}

/** Escapes by which JSON says what no database keeps as text: NUL, and halves of surrogate pairs, which may be whole pairs too. */
const MAY_BE_NO_TEXT = /\\u(0000|d[89a-f])/i;

/** Whether all texts of a value of JSON, with the names of members, can be kept as text. */
function isText(value: unknown): boolean {
  if (typeof value === 'string') return value.isWellFormed() && !value.includes('\0');
  if (typeof value !== 'object' || value === null) return true;
  return Object.entries(value).every(([name, member]) => isText(name) && isText(member));
}
