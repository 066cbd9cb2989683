import { spawn } from 'node:child_process';
import { once } from 'node:events';
import { mkdir, mkdtemp, readdir, readFile, rm, writeFile } from 'node:fs/promises';
import os from 'node:os';
import path from 'node:path';
import { setTimeout as delay } from 'node:timers/promises';
import { fileURLToPath } from 'node:url';
import { fullAudioDigest } from '@flagstone/core/audio/digest';
import { memorySource } from '@flagstone/core/formats/byte-source';
import { planWrite } from '@flagstone/core/formats/plan-write';
import { aiffBytes, flacBytes, mp3Frames, oggBytes } from '@flagstone/demo/container-files';
import { wavBytes } from '@flagstone/demo/wav-file';
import { useJournalKeys } from '@flagstone/server/disk/journal-keys';
import { settleLeftovers } from '@flagstone/server/disk/leftovers';
import { readAudio, sha256 } from '@flagstone/server/disk/read-audio';
import { build } from 'esbuild';
import { randomNumbers } from '../fuzz/mutate.ts';
import { takeNumber, takeRecord } from './take.ts';

export interface KillResult {
  kills: number;
  /** Kills that left an unfinished copy or a journal behind. */
  torn: number;
  journals: number;
}

const LONGEST_MS = 60;

/** Half a megabyte of audio or so in each container, so that copying takes a while. */
function subjects(): [name: string, bytes: Uint8Array][] {
  const signal = Float32Array.from({ length: 200_000 }, (_, index) => Math.sin(index / 7) * 0.5);
  const shape = { rate: 48000, bits: 24 } as const;
  return [
    ['a.wav', wavBytes([signal], shape)],
    ['b.aiff', aiffBytes([signal], shape)],
    ['c.flac', flacBytes(500_000)],
    ['d.mp3', mp3Frames(1500)],
    ['e.ogg', oggBytes('Vorbis', 4800)],
    ['f.opus', oggBytes('Opus', 4800)],
  ];
}

/**
 * Kills a process that writes into files without end, by SIGKILL at random moments, again and again. After each kill the folder is settled as at
 * a start; then every file has to be one take in full, with the audio it had, and nothing may lie beside them. Throws when that is not so. Goes on after the wanted number, ten times as
 * long at most, until enough kills have hit a write: how many do is up to the machine.
 */
export async function killWrites(
  kills: number,
  seed: number,
  enough: { torn: number; journals: number } = { torn: 0, journals: 0 },
): Promise<KillResult> {
  const root = await mkdtemp(path.join(os.tmpdir(), 'flagstone-kills-'));
  useJournalKeys(Buffer.alloc(32, 7));
  const program = path.join(root, 'write-forever.mjs');
  const folder = path.join(root, 'files');
  try {
    await mkdir(folder);
    await build({
      entryPoints: [fileURLToPath(new URL('./write-forever.ts', import.meta.url))],
      outfile: program,
      bundle: true,
      platform: 'node',
      format: 'esm',
      // Only M4A is read by it, and none is written here.
      external: ['music-metadata'],
      logLevel: 'error',
    });
    const digests = new Map<string, string>();
    for (const [name, bytes] of subjects()) {
      await writeFile(path.join(folder, name), bytes);
      digests.set(name, await digestOf(bytes));
    }
    const random = randomNumbers(seed);
    const result: KillResult = { kills: 0, torn: 0, journals: 0 };
    const isEnough = (): boolean =>
      result.kills >= kills && result.torn >= enough.torn && result.journals >= enough.journals;
    for (let kill = 0; kill < kills * 10 && !isEnough(); kill += 1) {
      result.kills += 1;
      await writeUntilKilled(program, folder, 1 + kill * 1000, random(LONGEST_MS * 10) / 10);
      const left = (await readdir(folder)).filter((name) => name.startsWith('.'));
      if (left.length > 0) result.torn += 1;
      if (left.some((name) => name.endsWith('.journal'))) result.journals += 1;
      await settleLeftovers(folder);
      await check(folder, digests, `kill ${kill} of seed ${seed}`);
    }
    return result;
  } finally {
    await rm(root, { recursive: true, force: true });
  }
}

async function writeUntilKilled(program: string, folder: string, take: number, milliseconds: number): Promise<void> {
  const child = spawn(process.execPath, [program, folder, String(take)], {
    stdio: ['ignore', 'pipe', 'pipe'],
    env: { ...process.env, NODE_OPTIONS: '' },
  });
  let errors = '';
  child.stderr.on('data', (text: Buffer) => (errors += text.toString()));
  const ended = once(child, 'exit');
  await Promise.race([once(child.stdout, 'data'), ended]);
  // The moment of the kill is what is random here; nothing is waited for.
  await delay(milliseconds);
  child.kill('SIGKILL');
  await ended;
  if (errors !== '') throw new Error(`the writing process failed by itself: ${errors}`);
}

async function check(folder: string, digests: ReadonlyMap<string, string>, when: string): Promise<void> {
  const names = (await readdir(folder)).sort();
  const fail = (why: string): never => {
    throw new Error(`after ${when}: ${why}`);
  };
  if (names.join() !== [...digests.keys()].join()) fail(`the folder holds ${names.join(', ')}`);
  for (const name of names) {
    const bytes = new Uint8Array(await readFile(path.join(folder, name)));
    const { record, issues, disagreeing } = await readAudio(memorySource(bytes), name);
    if (issues.length > 0 || disagreeing.length > 0) fail(`${name}: ${JSON.stringify([issues, disagreeing])}`);
    if ((await digestOf(bytes)) !== digests.get(name)) fail(`${name} has other audio`);
    const take = takeNumber(record);
    // A file that was never reached has no take yet.
    if (take === undefined && Object.keys(record).length === 0) continue;
    if (take === undefined) fail(`${name} says ${JSON.stringify(record)}`);
    else if ((await planWrite(memorySource(bytes), takeRecord(take))).plan) fail(`${name} is not take ${take} in full`);
  }
}

async function digestOf(bytes: Uint8Array): Promise<string> {
  const { facts } = await readAudio(memorySource(bytes));
  return fullAudioDigest(memorySource(bytes), facts, sha256());
}
