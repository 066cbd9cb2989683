import { execFile } from 'node:child_process';
import { mkdtemp, readFile, rm, writeFile } from 'node:fs/promises';
import os from 'node:os';
import path from 'node:path';
import { promisify } from 'node:util';
import { afterAll, beforeAll, expect, it, jest } from '@jest/globals';
import { channelLayout } from '@flagstone/core/audio/channel-layout';
import { foldToMono, foldToStereo } from '@flagstone/core/audio/channel-mix';
import { convertFile } from '@flagstone/server/disk/convert-file';

jest.setTimeout(60_000);

/** Files that are made for a delivery, beside those that sox and ffmpeg make of the same source. */
const run = promisify(execFile);
let folder = '';
const at = (name: string): string => path.join(folder, name);

beforeAll(async () => {
  folder = await mkdtemp(path.join(os.tmpdir(), 'flagstone-conversions-'));
});
afterAll(() => rm(folder, { recursive: true, force: true }));

const task = {
  range: null,
  container: 'WAV' as const,
  sampleRateHz: 48_000,
  sampleFormat: 'float' as const,
  bitDepth: 32,
  dither: false,
  matrix: null,
  level: { kind: 'asIs' as const },
};

/** Decoded by ffmpeg as 32-bit floats, interleaved. */
async function samplesOf(file: string): Promise<Float32Array> {
  const { stdout } = await run('ffmpeg', ['-v', 'error', '-i', file, '-f', 'f32le', '-'], {
    encoding: 'buffer',
    maxBuffer: 2 ** 28,
  });
  return new Float32Array(new Uint8Array(stdout).buffer);
}

const energy = (samples: Float32Array): number => samples.reduce((sum, value) => sum + value * value, 0);
/** How far two signals are apart, dB below the first, without the ends, where each does as it likes. */
function apartDb(a: Float32Array, b: Float32Array): number {
  const [from, to] = [4000, Math.min(a.length, b.length) - 4000];
  const difference = a.slice(from, to).map((value, index) => value - (b[from + index] ?? 0));
  return 10 * Math.log10(energy(difference) / energy(a.slice(from, to)));
}

const hertzUpTo = (most: number): number[] => [60, 440, 3000, 9000, 15_000, most];

/** Tones over the band that every converter keeps, made by ffmpeg. */
async function tones(name: string, rate: number, most: number): Promise<string> {
  const sines = hertzUpTo(most)
    .map((hertz) => `0.15*sin(2*PI*${hertz}*t)`)
    .join('+');
  await run('ffmpeg', [
    '-v',
    'error',
    '-f',
    'lavfi',
    '-i',
    `aevalsrc=${sines}:s=${rate}:d=2`,
    '-c:a',
    'pcm_f32le',
    at(name),
  ]);
  return at(name);
}

/** The same tones as they are at another rate, by their formula. */
function exactly(rate: number, most: number): Float32Array {
  return Float32Array.from({ length: 2 * rate }, (_, index) =>
    hertzUpTo(most).reduce((sum, hertz) => sum + 0.15 * Math.sin((2 * Math.PI * hertz * index) / rate), 0),
  );
}

it.each([
  [96_000, 44_100, 19_500],
  [44_100, 48_000, 19_500],
  [48_000, 96_000, 21_500],
  [192_000, 48_000, 21_500],
])(
  'a change of rate from %i to %i Hz is the exact signal to -125 dB, and what sox makes of it to -80 dB',
  async (from, to, most) => {
    const source = await tones(`tones ${from} ${to}.wav`, from, most);
    const own = at(`own ${from} ${to}.wav`);
    await convertFile({ ...task, source, target: own, working: at('none'), sampleRateHz: to });
    await run('sox', [
      '-D',
      source,
      '-e',
      'floating-point',
      '-b',
      '32',
      at(`sox ${from} ${to}.wav`),
      'rate',
      '-v',
      '-s',
      String(to),
    ]);
    const made = await samplesOf(own);
    const theirs = await samplesOf(at(`sox ${from} ${to}.wav`));
    const exact = exactly(to, most);
    expect(apartDb(exact, made)).toBeLessThan(-125);
    expect(apartDb(theirs, made)).toBeLessThan(-80);
  },
);

it('dither is as strong as that of sox, and white', async () => {
  const source = await tones('tones 48.wav', 48_000, 19_500);
  await convertFile({
    ...task,
    source,
    target: at('own16.wav'),
    working: at('none'),
    sampleFormat: 'integer',
    bitDepth: 16,
    dither: true,
  });
  await run('sox', [source, '-b', '16', at('sox16.wav'), 'dither']);
  const exact = await samplesOf(source);
  const [own, theirs] = await Promise.all(
    ['own16.wav', 'sox16.wav'].map(async (name) =>
      (await samplesOf(at(name))).map((value, index) => value - (exact[index] ?? 0)),
    ),
  );
  const steps = (noise: Float32Array | undefined): number =>
    energy(noise ?? new Float32Array(0)) / (noise?.length ?? 1) / (1 / 32_768) ** 2;
  expect(steps(own)).toBeCloseTo(0.25, 2);
  expect(steps(theirs)).toBeCloseTo(0.25, 2);
});

it('folds 5.1 with the gains of ITU-R BS.775, as ffmpeg does when it is told them', async () => {
  const source = at('surround.wav');
  const channels = [300, 500, 700, 50, 1100, 1300].map((hertz) => `0.2*sin(2*PI*${hertz}*t)`).join('|');
  await run('ffmpeg', [
    '-v',
    'error',
    '-f',
    'lavfi',
    '-i',
    `aevalsrc=${channels}:s=48000:d=1:c=5.1`,
    '-c:a',
    'pcm_f32le',
    source,
  ]);
  const { speakers } = channelLayout({ channels: 6 });
  const pans = {
    stereo: 'pan=stereo|c0=c0+0.70710678*c2+0.70710678*c4|c1=c1+0.70710678*c2+0.70710678*c5',
    mono: 'pan=mono|c0=0.70710678*c0+0.70710678*c1+c2+0.5*c4+0.5*c5',
  };
  for (const [name, matrix] of [
    ['stereo', foldToStereo(speakers)],
    ['mono', foldToMono(speakers)],
  ] as const) {
    await convertFile({ ...task, source, target: at(`${name}.wav`), working: at('none'), matrix });
    await run('ffmpeg', ['-v', 'error', '-i', source, '-af', pans[name], '-c:a', 'pcm_f32le', at(`ff ${name}.wav`)]);
    expect(apartDb(await samplesOf(at(`${name}.wav`)), await samplesOf(at(`ff ${name}.wav`)))).toBeLessThan(-120);
  }
});

it('what is only stored elsewhere keeps its samples, bit by bit, in every container that loses nothing', async () => {
  const source = at('whole.aif');
  await run('ffmpeg', [
    '-v',
    'error',
    '-f',
    'lavfi',
    '-i',
    'anoisesrc=d=1:c=pink:seed=3',
    '-ac',
    '2',
    '-c:a',
    'pcm_s24be',
    source,
  ]);
  const md5 = async (file: string): Promise<string> =>
    (await run('ffmpeg', ['-v', 'error', '-i', file, '-c:a', 'pcm_s24le', '-f', 'md5', '-'])).stdout;
  const before = await readFile(source);
  for (const [container, extension] of [
    ['WAV', 'wav'],
    ['FLAC', 'flac'],
    ['AIFF', 'aif'],
  ] as const) {
    const target = at(`stored.${extension}`);
    await convertFile({
      ...task,
      source,
      target,
      working: at('working.wav'),
      container,
      sampleFormat: 'integer',
      bitDepth: 24,
      dither: true,
    });
    expect([container, await md5(target)]).toEqual([container, await md5(source)]);
  }
  expect(await readFile(source)).toEqual(before);
});

it('is refused for what is damaged, cut short or beyond all that is worked with, and leaves nothing', async () => {
  const broken = at('broken.wav');
  await writeFile(broken, Buffer.from('RIFF\u00ff\u00ff\u00ff\u007fWAVEfmt \u0010\0\0\0', 'latin1'));
  await expect(
    convertFile({ ...task, source: broken, target: at('of broken.wav'), working: at('none') }),
  ).rejects.toThrow();
  await expect(readFile(at('of broken.wav'))).rejects.toThrow();
});
