import { execFile, spawn } from 'node:child_process';
import { createWriteStream } from 'node:fs';
import { mkdir, mkdtemp, rm, writeFile } from 'node:fs/promises';
import os from 'node:os';
import path from 'node:path';
import { parseArgs, promisify } from 'node:util';
import { memorySource } from '@flagstone/core/formats/byte-source';
import { planWrite } from '@flagstone/core/formats/plan-write';
import { applyPlan } from '@flagstone/core/formats/write-plan';
import { emptyRecord } from '@flagstone/core/record/fields';
import { aiffBytes, flacBytes, mp3Frames, oggBytes } from '@flagstone/demo/container-files';
import { wavBytes } from '@flagstone/demo/wav-file';
import { programPath } from '@flagstone/server/workers/programs';

/**
 * `bench read [--files 20000]`: headers to JSON of mixed files, files a second, beside exiftool, mediainfo and the physical floor (the first
 * 64 kB of each file) in the same run. exiftool and mediainfo are given a tenth of the files.
 */
const run = promisify(execFile);
const { values } = parseArgs({ options: { files: { type: 'string', default: '20000' } } });
const count = Number(values.files);
const folder = await mkdtemp(path.join(os.tmpdir(), 'flagstone-bench-'));
const shape = { rate: 48000, bits: 24 } as const;

async function tagged(file: Uint8Array): Promise<Uint8Array> {
  const record = {
    ...emptyRecord(),
    fxName: 'Pot Falls',
    description: 'A pot falls onto the flagstones.',
    keywords: ['pot', 'fall'],
    library: 'Clay',
    creator: 'Orla Venn',
  };
  const { plan } = await planWrite(memorySource(file), record);
  return plan ? applyPlan(file, plan) : file;
}

const signal = Float32Array.from({ length: 20_000 }, (_, at) => Math.sin(at / 7) * 0.5);
const kinds: [extension: string, bytes: Uint8Array][] = [
  ['.wav', wavBytes([signal], shape)],
  ['.wav', await tagged(wavBytes([signal], shape))],
  ['.wav', await tagged(wavBytes([signal, signal], shape))],
  ['.aiff', await tagged(aiffBytes([signal], shape))],
  ['.flac', await tagged(flacBytes(60_000))],
  ['.mp3', await tagged(mp3Frames(150))],
  ['.ogg', await tagged(oggBytes('Vorbis', 48_000))],
];
const names: string[] = [];
for (let index = 0; index < count; index += 1) {
  const place = path.join(folder, `shelf ${Math.floor(index / 500)}`);
  if (index % 500 === 0) await mkdir(place, { recursive: true });
  const [extension, bytes] = kinds[index % kinds.length] ?? ['.wav', new Uint8Array(0)];
  const name = path.join(place, `sound ${index}${extension}`);
  await writeFile(name, bytes);
  names.push(name);
}

const seconds = async (work: () => Promise<unknown>): Promise<number> => {
  const started = performance.now();
  await work();
  return (performance.now() - started) / 1000;
};
const flagstone = (given: string[]): Promise<void> =>
  new Promise((resolve, reject) => {
    const child = spawn(process.execPath, [programPath('main'), 'read', '-'], {
      stdio: ['pipe', 'pipe', 'inherit'],
    });
    child.stdout.pipe(createWriteStream(path.join(folder, 'read.jsonl')));
    child.stdin.end(given.join('\n'));
    child
      .once('error', reject)
      .once('close', (code) => (code === 0 ? resolve() : reject(new Error(`read ended with ${code}`))));
  });
const some = names.filter((_, index) => index % 10 === 0);
const list = path.join(folder, 'list');
await writeFile(list, some.join('\n'));

try {
  // What was just written is not to be written out while reading is measured.
  await run('sync');
  const floor = await seconds(() =>
    run('sh', ['-c', `find "$0" -type f -name 'sound*' -print0 | xargs -0 -P2 -n256 head -c 65536 >/dev/null`, folder]),
  );
  const ours = await seconds(() => flagstone(names));
  const start = await seconds(() => flagstone(names.slice(0, 1)));
  const exif = await seconds(() => run('sh', ['-c', 'exiftool -json -fast2 -@ "$0" > /dev/null', list]));
  const media = await seconds(() =>
    run('sh', ['-c', `tr '\\n' '\\0' < "$0" | xargs -0 mediainfo --Output=JSON > /dev/null`, list]),
  );
  const rate = count / ours;
  const line = (what: string, files: number, time: number, note: string): string =>
    `${what.padEnd(44)} ${time.toFixed(2).padStart(7)} s ${String(Math.round(files / time)).padStart(7)} files/s  ${note}\n`;
  process.stdout.write(
    `${count} mixed files of 60 kB, Node.js ${process.version}, ${os.availableParallelism()} cores\n`,
  );
  process.stdout.write(line('flagstone read, start included', count, ours, `start alone ${start.toFixed(2)} s`));
  process.stdout.write(
    line(
      'exiftool -json -fast2',
      some.length,
      exif,
      `flagstone is ${(rate / (some.length / exif)).toFixed(1)} times as fast`,
    ),
  );
  process.stdout.write(
    line(
      'mediainfo --Output=JSON',
      some.length,
      media,
      `flagstone is ${(rate / (some.length / media)).toFixed(1)} times as fast`,
    ),
  );
  process.stdout.write(
    line('floor: first 64 kB of each file', count, floor, `flagstone takes ${(ours / floor).toFixed(1)} times as long`),
  );
} finally {
  await rm(folder, { recursive: true, force: true });
}
