import { execFile } from 'node:child_process';
import { copyFile, mkdir, mkdtemp, readdir, rm } from 'node:fs/promises';
import os from 'node:os';
import path from 'node:path';
import { parseArgs, promisify } from 'node:util';
import { fullAudioDigest } from '@flagstone/core/audio/digest';
import { AppError } from '@flagstone/core/errors';
import { windowedSource } from '@flagstone/core/formats/byte-source';
import { isAudioName } from '@flagstone/core/formats/container';
import { otherAudioByName } from '@flagstone/core/formats/other-audio';
import { planWrite } from '@flagstone/core/formats/plan-write';
import { applyEdit } from '@flagstone/core/record/edit';
import { differingFields, emptyRecord, filledFields, type SoundRecord } from '@flagstone/core/record/fields';
import { builtInCategoryList } from '@flagstone/core/ucs/category-list';
import { DriveFiles } from '@flagstone/server/disk/drive-files';
import { diskError } from '@flagstone/server/disk/disk-errors';
import { readAudio, sha256 } from '@flagstone/server/disk/read-audio';
import { rewriteFile } from '@flagstone/server/disk/rewrite-file';

/**
 * `bench real DIR [--most N]`: every audio file below a folder is read; a copy of it is written with a full record and proved: the audio that ffmpeg decodes
 * has the same MD5 as before, what is read back is what was written, and a second write has nothing to do. The files themselves are never touched. Ends with
 * a table by container and codec, and names what went wrong; the exit status is 1 when a proof failed.
 */
const run = promisify(execFile);
const { values, positionals } = parseArgs({
  allowPositionals: true,
  options: { most: { type: 'string', default: '100000' } },
});
const [root] = positionals;
if (root === undefined) {
  process.stderr.write('bench real needs a DIR\n');
  process.exit(2);
}
const LANES = 2;
const RECORD = applyEdit(
  emptyRecord(),
  {
    set: {
      catId: 'CERMBrk',
      fxName: 'Glazed Pot Shatters',
      description: 'A glazed pot is dropped, très fort, onto the flagstones.',
      keywords: ['pot', 'shatter', 'kiln yard'],
      library: 'Clay & Fire',
      creator: 'Orla Venn',
      publisher: 'The Clay Heron',
      recordedOn: '2024-05-13',
    },
  },
  builtInCategoryList(),
);

/** What came of the files of one kind. */
class Kind {
  files = 0;
  written = 0;
  inPlace = 0;
  compared = 0;
  /** Read, and not written, by the code of the reason. */
  readonly refused = new Map<string, number>();
  cutShort = 0;
  readonly failed: string[] = [];
}
const kinds = new Map<string, Kind>();
const unread = new Map<string, string[]>();
const others = new Map<string, number>();
const add = (map: Map<string, number>, key: string): unknown => map.set(key, (map.get(key) ?? 0) + 1);

async function decodedMd5(file: string): Promise<string | undefined> {
  const args = [
    '-v',
    'error',
    '-nostdin',
    '-protocol_whitelist',
    'file,pipe',
    '-i',
    `file:${file}`,
    '-map',
    '0:a:0',
    '-f',
    'md5',
    '-',
  ];
  // What ffmpeg cannot decode has no audio to be compared; its other words are not ours.
  return run('ffmpeg', args, { timeout: 120_000, maxBuffer: 1e8 }).then(
    ({ stdout }) => stdout,
    () => undefined,
  );
}

async function prove(files: DriveFiles, copy: string, full: string, kind: Kind): Promise<void> {
  const name = path.basename(copy);
  const digestNow = () =>
    files.withSource('', name, async (source) => fullAudioDigest(source, (await readAudio(source)).facts, sha256()));
  const [before, digest] = [await decodedMd5(copy), await digestNow()];
  const planOf = (record: SoundRecord) =>
    files.withSource('', name, async (source, stamp) => ({
      stamp,
      ...(await planWrite(windowedSource(source), record)),
    }));
  const old = await files.withSource('', name, (source) => readAudio(source));
  const wanted = { ...emptyRecord(), ...old.record, ...filledFields(RECORD) };
  const { plan, stamp } = await planOf(wanted);
  if (plan) {
    const { how } = await rewriteFile(files, '', name, stamp, plan, {});
    if (how === 'in place') kind.inPlace += 1;
  }
  kind.written += 1;
  const now = await files.withSource('', name, (source) => readAudio(source));
  const differing = differingFields({ ...emptyRecord(), ...now.record }, wanted);
  if (differing.length > 0) kind.failed.push(`${full}: read back otherwise: ${differing.join(', ')}`);
  if ((await digestNow()) !== digest) kind.failed.push(`${full}: the audio is another one`);
  // Of a file that was cut short in a frame, a decoder takes the tag behind it for audio; one that could not be opened before has nothing to compare.
  const isComparable = before !== undefined && old.facts.isCutShort !== true;
  if (isComparable) kind.compared += 1;
  if (isComparable && (await decodedMd5(copy)) !== before)
    kind.failed.push(`${full}: the decoded audio is another one`);
  if ((await planOf(wanted)).plan) kind.failed.push(`${full}: a second write has something to do`);
}

async function one(full: string, number: number, scratch: string): Promise<void> {
  const source = new DriveFiles(path.dirname(full));
  const read = await source
    .withSource('', path.basename(full), (bytes) => readAudio(bytes))
    .catch((error: unknown) => diskError(error, full));
  if (read instanceof AppError)
    return void unread.set(read.code, [...(unread.get(read.code) ?? []), `${full}: ${read.message}`]);
  const { container, codec, bitDepth } = read.facts;
  const key = [container, codec === container ? '' : codec, bitDepth > 0 ? `${bitDepth} bit` : '']
    .filter(Boolean)
    .join(' ');
  const kind = kinds.get(key) ?? new Kind();
  kinds.set(key, kind);
  kind.files += 1;
  if (read.facts.isCutShort) kind.cutShort += 1;
  const folder = path.join(scratch, String(number % LANES));
  const copy = path.join(folder, `${number}${path.extname(full)}`);
  await copyFile(full, copy);
  try {
    await prove(new DriveFiles(folder), copy, full, kind);
  } catch (error) {
    if (!(error instanceof AppError)) throw error;
    if (error.code.startsWith('FORMAT_')) add(kind.refused, `${error.code}: ${error.message.slice(0, 90)}`);
    else kind.failed.push(`${full}: ${error.code} ${error.message}`);
  } finally {
    await rm(copy, { force: true });
  }
}

async function* filesBelow(folder: string): AsyncGenerator<string> {
  for (const entry of (await readdir(folder, { withFileTypes: true })).sort((a, b) => (a.name < b.name ? -1 : 1))) {
    const full = path.join(folder, entry.name);
    if (entry.isDirectory()) yield* filesBelow(full);
    else if (entry.isFile()) yield full;
  }
}

const scratch = await mkdtemp(path.join(os.tmpdir(), 'flagstone-real-'));
const started = performance.now();
let count = 0;
try {
  for (let lane = 0; lane < LANES; lane += 1) await mkdir(path.join(scratch, String(lane)));
  const lanes: Promise<void>[] = Array.from({ length: LANES }, () => Promise.resolve());
  for await (const full of filesBelow(path.resolve(root))) {
    const other = otherAudioByName(full);
    if (other !== undefined) add(others, other);
    if (!isAudioName(full) || count >= Number(values.most)) continue;
    const number = count;
    count += 1;
    await lanes[number % LANES];
    lanes[number % LANES] = one(full, number, scratch);
  }
  await Promise.all(lanes);
} finally {
  await rm(scratch, { recursive: true, force: true });
}

const say = (text: string): unknown => process.stdout.write(`${text}\n`);
say(
  `${count.toLocaleString('en')} files in ${((performance.now() - started) / 1000).toFixed(0)} s, Node.js ${process.version}`,
);
say(
  `${'kind'.padEnd(36)} ${['files', 'written', 'in place', 'decoded', 'cut short', 'failed'].map((head) => head.padStart(9)).join(' ')}`,
);
let failures = 0;
for (const [key, { files, written, inPlace, compared, cutShort, failed, refused }] of [...kinds].sort(
  ([, a], [, b]) => b.files - a.files,
)) {
  failures += failed.length;
  say(
    `${key.padEnd(36)} ${[files, written, inPlace, compared, cutShort, failed.length].map((value) => String(value).padStart(9)).join(' ')}`,
  );
  for (const [why, times] of refused) say(`    not written ${times}: ${why}`);
  for (const each of failed.slice(0, 10)) say(`    FAILED ${each}`);
}
for (const [code, each] of unread) {
  say(`not read ${each.length}: ${code}`);
  for (const line of each.slice(0, 5)) say(`    ${line}`);
}
for (const [kind, times] of others) say(`not taken up ${times}: ${kind}`);
process.exitCode = failures > 0 ? 1 : 0;
