import { createHash } from 'node:crypto';
import { execFile } from 'node:child_process';
import { mkdtemp, readFile, rm, writeFile } from 'node:fs/promises';
import os from 'node:os';
import path from 'node:path';
import { promisify } from 'node:util';
import { afterAll, beforeAll, describe, expect, it, jest } from '@jest/globals';
import { memorySource } from '@flagstone/core/formats/byte-source';
import { RECIPES, type RecipeName } from '@flagstone/demo/recipes';
import { randomSource, seedOf } from '@flagstone/demo/signal';
import { wavBytes } from '@flagstone/demo/wav-file';
import { decodeCoded, measureFile, type MeasuredFile } from '@flagstone/server/disk/measure-file';
import { readAudio } from '@flagstone/server/disk/read-audio';

jest.setTimeout(600_000);

/**
 * Sounds of the demo, measured by Flagstone and by others: loudness and true peak by ffmpeg's ebur128, levels by sox stat, and what FLAC's MD5
 * says of the decoded samples.
 */
const run = promisify(execFile);
const SOUNDS: [RecipeName, seconds: number, channels: number, rate: number][] = [
  ['hammer', 4, 2, 48_000],
  ['handSaw', 12, 2, 44_100],
  ['millGears', 9, 1, 96_000],
  ['whoosh', 3, 2, 48_000],
];
let folder = '';

async function made([name, seconds, channels, rate]: (typeof SOUNDS)[number]): Promise<string> {
  const file = path.join(folder, `${name}.wav`);
  const signals = Array.from({ length: channels }, (_, channel) =>
    RECIPES[name]({ rate, random: randomSource(seedOf(`${name} ${channel}`)) }, seconds),
  );
  const highest = signals.reduce(
    (most, signal) => signal.reduce((peak, each) => Math.max(peak, Math.abs(each)), most),
    0,
  );
  const scaled = signals.map((signal) => signal.map((value) => (0.7 * value) / highest));
  await writeFile(file, wavBytes(scaled, { rate, bits: 24 }));
  return file;
}

beforeAll(async () => {
  folder = await mkdtemp(path.join(os.tmpdir(), 'flagstone-measures-'));
});
afterAll(() => rm(folder, { recursive: true, force: true }));

describe.each(SOUNDS)('%s', (...sound) => {
  let file = '';
  let measured: MeasuredFile;
  beforeAll(async () => {
    file = await made(sound);
    measured = await measureFile(file);
  });

  it('has the loudness and true peak that ffmpeg finds', async () => {
    const args = ['-nostats', '-nostdin', '-hide_banner', '-i', file, '-af', 'ebur128=peak=true', '-f', 'null', '-'];
    const { stderr } = await run('ffmpeg', args, { maxBuffer: 64 * 1024 * 1024 });
    const summary = stderr.slice(stderr.lastIndexOf('Summary:'));
    const value = (label: string): number => Number(new RegExp(`${label}:\\s+(-?[\\d.]+)`).exec(summary)?.[1]);
    const { integratedLufs, loudnessRangeLu, truePeakDbtp } = measured.measures;
    // ffmpeg prints a tenth, so half of one comes on top.
    expect(Math.abs((integratedLufs ?? 0) - value('I'))).toBeLessThanOrEqual(0.15);
    if (sound[1] > 3) expect(Math.abs((loudnessRangeLu ?? 0) - value('LRA'))).toBeLessThanOrEqual(0.15);
    expect(Math.abs((truePeakDbtp ?? 0) - value('Peak'))).toBeLessThanOrEqual(0.25);
  });

  it('has the levels that sox finds', async () => {
    const { stderr } = await run('sox', [file, '-n', 'stat']);
    const value = (label: string): number => Number(new RegExp(`${label}:\\s+(-?[\\d.]+)`).exec(stderr)?.[1]);
    const peak = Math.max(value('Maximum amplitude'), -value('Minimum amplitude'));
    const { samplePeakDbfs, rmsDbfs } = measured.measures;
    expect(10 ** ((samplePeakDbfs ?? 0) / 20)).toBeCloseTo(peak, 5);
    expect(10 ** ((rmsDbfs ?? 0) / 20)).toBeCloseTo(value('RMS     amplitude'), 5);
  });

  it('measures the same of a FLAC file, whose samples are those of its MD5', async () => {
    const flac = file.replace('.wav', '.flac');
    // sox would add dither.
    await run('sox', ['-D', file, '-b', '16', flac]);
    const { facts } = await readAudio(memorySource(await readFile(flac)));
    const hash = createHash('md5');
    await decodeCoded(flac, facts, (planar, frames) => {
      const bytes = Buffer.alloc(frames * facts.channels * 2);
      for (let frame = 0; frame < frames; frame += 1)
        planar.forEach((samples, channel) =>
          bytes.writeInt16LE((samples[frame] ?? 0) * 32768, (frame * facts.channels + channel) * 2),
        );
      hash.update(bytes);
    });
    expect(hash.digest('hex')).toBe(facts.decodedMd5);
    const { measures, frames } = await measureFile(flac);
    expect(frames).toBe(measured.frames);
    expect(measures.integratedLufs ?? 0).toBeCloseTo(measured.measures.integratedLufs ?? 0, 2);
    expect(measures.onsets.length).toBe(measured.measures.onsets.length);
  });
});
