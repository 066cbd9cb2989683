import { spawn } from 'node:child_process';
import { mkdtemp, rm, writeFile } from 'node:fs/promises';
import os from 'node:os';
import path from 'node:path';
import { parseArgs } from 'node:util';
import { FingerprintMeter } from '@flagstone/core/audio/fingerprint/fingerprint-meter';
import { keysOf, keysOfTurn, TURNS_OF_KEYS, type Fingerprint } from '@flagstone/core/audio/fingerprint/fingerprint';
import { sameRecording, type SameRecording } from '@flagstone/core/audio/fingerprint/same-recording';
import { RECIPES, type RecipeName } from '@flagstone/demo/recipes';
import { finish, randomSource } from '@flagstone/demo/signal';
import { wavBytes } from '@flagstone/demo/wav-file';
import { randomFrom } from '../random.ts';

/**
 * `bench forms [--sounds 5000] [--others 10000]`: made-up recordings of 0.2 to 4 s by the demo's recipes, every third converted by ffmpeg in one of seven ways, looked for
 * among themselves and others. Tells how many were found, how many wrongly and as certain, by way. Takes of one recipe are alike as takes are, and more: this is the hard case.
 */
const { values } = parseArgs({
  options: { sounds: { type: 'string', default: '5000' }, others: { type: 'string', default: '10000' } },
});
const [sounds, others] = [Number(values.sounds), Number(values.others)];
const say = (line: string): void => void process.stdout.write(`${line}\n`);
const random = randomFrom(41);
const RATE = 48_000;

const WAYS: [name: string, extension: string, args: string[]][] = [
  ['44.1 kHz, 16 bits', 'wav', ['-ar', '44100', '-c:a', 'pcm_s16le']],
  ['96 kHz, float', 'wav', ['-ar', '96000', '-c:a', 'pcm_f32le']],
  ['FLAC', 'flac', []],
  ['MP3 128', 'mp3', ['-b:a', '128k']],
  ['Ogg q4', 'ogg', ['-c:a', 'libvorbis', '-q:a', '4']],
  ['-6 dB', 'wav', ['-af', 'volume=-6dB', '-c:a', 'pcm_s24le']],
  ['0.5 s before, MP3', 'mp3', ['-af', 'adelay=500:all=1', '-b:a', '128k']],
];

function run(program: string, args: readonly string[]): Promise<Buffer> {
  return new Promise((resolve, reject) => {
    const child = spawn(program, args, { stdio: ['ignore', 'pipe', 'inherit'] });
    const out: Buffer[] = [];
    child.stdout.on('data', (bytes: Buffer) => out.push(bytes));
    child.once('error', reject).once('close', (code) => {
      if (code === 0) resolve(Buffer.concat(out));
      else reject(new Error(`${program} ended with ${code}`));
    });
  });
}

function printOf(samples: Float32Array, rate: number): Fingerprint | null {
  const meter = new FingerprintMeter(rate);
  meter.add(samples, samples.length);
  return meter.finish();
}

const NAMES = Object.keys(RECIPES) as RecipeName[];
function recording(seed: number): { samples: Float32Array; recipe: RecipeName; seconds: number } {
  const recipe = NAMES[seed % NAMES.length] as RecipeName;
  const seconds = 0.2 + 3.8 * random() ** 2;
  const voice = { rate: RATE, random: randomSource(seed * 7919 + 13) };
  return { samples: finish(voice, RECIPES[recipe](voice, seconds), 0.5), recipe, seconds };
}

const folder = await mkdtemp(path.join(os.tmpdir(), 'flagstone-bench-forms-'));
const original = path.join(folder, 'original.wav');
async function converted(
  samples: Float32Array,
  [, extension, args]: (typeof WAYS)[number],
): Promise<Fingerprint | null> {
  const form = path.join(folder, `form.${extension}`);
  await writeFile(original, wavBytes([samples], { rate: RATE, bits: 24 }, {}));
  await run('ffmpeg', ['-v', 'error', '-y', '-i', original, ...args, form]);
  const rate = Number(
    (await run('ffprobe', ['-v', 'error', '-show_entries', 'stream=sample_rate', '-of', 'csv=p=0', form])).toString(),
  );
  const pcm = await run('ffmpeg', ['-v', 'error', '-i', form, '-f', 'f32le', '-']);
  return printOf(new Float32Array(pcm.buffer.slice(pcm.byteOffset, pcm.byteOffset + pcm.length)), rate);
}

const started = performance.now();
const held: { print: Fingerprint; recipe: RecipeName }[] = [];
const holders = new Map<number, number[]>();
const asked: { at: number; print: Fingerprint | null; way: string; seconds: number }[] = [];
for (let seed = 0; seed < sounds + others; seed += 1) {
  const { samples, recipe, seconds } = recording(seed);
  const print = printOf(samples, RATE);
  if (!print) continue;
  const at = held.push({ print, recipe }) - 1;
  for (const key of keysOf(print)) {
    const known = holders.get(key);
    if (known) known.push(at);
    else holders.set(key, [at]);
  }
  if (seed >= sounds || seed % 3 !== 0) continue;
  const way = WAYS[(seed / 3) % WAYS.length] as (typeof WAYS)[number];
  asked.push({ at, print: await converted(samples, way), way: way[0], seconds });
}
say(`${held.length} recordings, ${asked.length} converted, in ${((performance.now() - started) / 1000).toFixed(0)} s`);

function found(print: Fingerprint): { at: number; same: SameRecording } | undefined {
  for (let turn = 0; turn < TURNS_OF_KEYS; turn += 1) {
    const keys = keysOfTurn(print, turn);
    const [best] = [...new Set(keys.flatMap((key) => holders.get(key) ?? []))]
      .flatMap((at) => {
        const same = sameRecording(print, (held[at] as (typeof held)[number]).print);
        return same ? [{ at, same }] : [];
      })
      .sort((a, b) => a.same.difference - b.same.difference);
    if (best) return best;
  }
  return undefined;
}

const tally = new Map<
  string,
  { asked: number; right: number; wrong: number; certainlyWrong: number; missed: string[] }
>();
for (const { at, print, way, seconds } of asked)
  for (const group of [way, seconds >= 1 ? 'all of 1 s and longer' : 'all shorter']) {
    const counts = tally.get(group) ?? { asked: 0, right: 0, wrong: 0, certainlyWrong: 0, missed: [] };
    tally.set(group, counts);
    const best = print ? found(print) : undefined;
    const recipe = held[at]?.recipe ?? '';
    counts.asked += 1;
    if (best?.at === at) counts.right += 1;
    else counts.missed.push(best ? `${recipe} for ${held[best.at]?.recipe}` : recipe);
    if (best && best.at !== at) {
      counts.wrong += 1;
      if (best.same.isCertain) counts.certainlyWrong += 1;
    }
  }
for (const [group, { asked: all, right, wrong, certainlyWrong, missed }] of [...tally].sort()) {
  const often = new Map<string, number>();
  for (const each of missed) often.set(each, (often.get(each) ?? 0) + 1);
  const worst = [...often].sort(([, a], [, b]) => b - a).slice(0, 6);
  say(
    `${group.padEnd(24)} ${right} of ${all} found, ${wrong} wrong, ${certainlyWrong} of them as certain${worst.length > 0 ? `; not found: ${worst.map(([name, times]) => `${name} ${times}`).join(', ')}` : ''}`,
  );
}
await rm(folder, { recursive: true, force: true });
