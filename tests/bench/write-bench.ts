import { execFile } from 'node:child_process';
import { copyFile, mkdtemp, open, rm, writeFile } from 'node:fs/promises';
import os from 'node:os';
import path from 'node:path';
import { parseArgs, promisify } from 'node:util';
import { windowedSource } from '@flagstone/core/formats/byte-source';
import { planWrite } from '@flagstone/core/formats/plan-write';
import { emptyRecord, type SoundRecord } from '@flagstone/core/record/fields';
import { wavBytes } from '@flagstone/demo/wav-file';
import { DriveFiles } from '@flagstone/server/disk/drive-files';
import { rewriteFile } from '@flagstone/server/disk/rewrite-file';

/**
 * `bench write [--megabytes 1000] [--folder DIR]`: an edit in place of a long WAV beside that of a short one, and a write by copy beside `cp`,
 * flushing and sha256sum of the same file in the same run. Times of disk flushes vary; each figure is the median of several.
 */
const run = promisify(execFile);
const { values } = parseArgs({
  options: { megabytes: { type: 'string', default: '1000' }, folder: { type: 'string', default: os.tmpdir() } },
});
const megabytes = Number(values.megabytes);
const folder = await mkdtemp(path.join(values.folder, 'flagstone-bench-'));
const files = new DriveFiles(folder);

/** A WAV of that many MB of noise-like audio. */
async function longWav(name: string, size: number): Promise<void> {
  const audio = new Uint8Array(size * 1_000_000);
  for (let at = 0; at < audio.length; at += 1) audio[at] = (at * 7919 + (at >> 9)) & 0xff;
  const header = wavBytes([new Float32Array(1)], { rate: 48000, bits: 16 }).slice(0, 44);
  new DataView(header.buffer).setUint32(4, audio.length + 36, true);
  new DataView(header.buffer).setUint32(40, audio.length, true);
  await writeFile(path.join(folder, name), header);
  const handle = await open(path.join(folder, name), 'a');
  await handle.write(audio);
  await handle.sync();
  await handle.close();
}

async function write(name: string, record: Partial<SoundRecord>, alwaysCopy = false): Promise<string> {
  const { plan, stamp } = await files.withSource('', name, async (source, stamp) => ({
    stamp,
    ...(await planWrite(windowedSource(source), { ...emptyRecord(), ...record })),
  }));
  if (!plan) throw new Error('there is something to write');
  return (await rewriteFile(files, '', name, stamp, plan, { alwaysCopy })).how;
}

async function median(times: number, work: (round: number) => Promise<unknown>): Promise<number> {
  const taken: number[] = [];
  for (let round = 0; round < times; round += 1) {
    const started = performance.now();
    await work(round);
    taken.push(performance.now() - started);
  }
  return taken.sort((a, b) => a - b)[Math.floor(times / 2)] ?? 0;
}

try {
  await longWav('long.wav', megabytes);
  await longWav('short.wav', 1);
  for (const name of ['long.wav', 'short.wav']) await write(name, { fxName: 'Weir' });
  const inPlace = async (name: string): Promise<number> =>
    median(41, async (round) => {
      if ((await write(name, { fxName: `Weir ${round}` })) !== 'in place') throw new Error('it was copied');
    });
  const [long, short] = [await inPlace('long.wav'), await inPlace('short.wav')];
  const copy = await median(3, (round) => write('long.wav', { fxName: `Mill race ${round}` }, true));
  const [from, to] = [path.join(folder, 'long.wav'), path.join(folder, 'copied.wav')];
  const baseline = await median(3, async () => {
    await run('sh', ['-c', 'cp --reflink=never "$0" "$1" && sync "$1" && sha256sum "$1" && rm "$1"', from, to]);
  });
  await copyFile(from, to);
  process.stdout.write(`Node.js ${process.version}, ${os.availableParallelism()} cores, ${folder}\n`);
  process.stdout.write(`edit in place, 1 MB      ${short.toFixed(1)} ms\n`);
  process.stdout.write(
    `edit in place, ${megabytes} MB   ${long.toFixed(1)} ms, ${(long / short).toFixed(2)} times the short one\n`,
  );
  process.stdout.write(`write by copy            ${(copy / 1000).toFixed(2)} s\n`);
  process.stdout.write(
    `cp, sync, sha256sum      ${(baseline / 1000).toFixed(2)} s; by copy takes ${(copy / baseline).toFixed(2)} times as long\n`,
  );
} finally {
  await rm(folder, { recursive: true, force: true });
}
