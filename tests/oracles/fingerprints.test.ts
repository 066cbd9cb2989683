import { execFile } from 'node:child_process';
import { mkdtemp, rm, writeFile } from 'node:fs/promises';
import os from 'node:os';
import path from 'node:path';
import { promisify } from 'node:util';
import { afterAll, beforeAll, describe, expect, it, jest } from '@jest/globals';
import { keysOf, keysOfTurn, TURNS_OF_KEYS, type Fingerprint } from '@flagstone/core/audio/fingerprint/fingerprint';
import { sameRecording } from '@flagstone/core/audio/fingerprint/same-recording';
import { demoCollection } from '@flagstone/demo/collection';
import { demoFileBytes } from '@flagstone/demo/make-collection';
import { measureFile } from '@flagstone/server/disk/measure-file';

jest.setTimeout(240_000);

/** What ffmpeg makes of a recording: as a collection holds it that was converted, delivered or downloaded. */
const FORMS: [name: string, extension: string, args: string[]][] = [
  ['44.1 kHz and 16 bits', 'wav', ['-ar', '44100', '-c:a', 'pcm_s16le']],
  ['96 kHz as float', 'wav', ['-ar', '96000', '-c:a', 'pcm_f32le']],
  ['FLAC, 6 dB quieter', 'flac', ['-af', 'volume=-6dB']],
  ['MP3 of 128 kbit/s, 0.5 s of silence before', 'mp3', ['-af', 'adelay=500:all=1', '-b:a', '128k']],
  ['Ogg Vorbis of quality 4', 'ogg', ['-c:a', 'libvorbis', '-q:a', '4']],
];

/** In full where the tests are deep: every sound of the demo. */
const EVERY = process.env['FLAGSTONE_TEST_DEEP'] ? 1 : 16;
const SHORTEST_SECONDS = 0.25;

describe('fingerprints of what ffmpeg converted', () => {
  let folder = '';
  const originals: { name: string; file: string; print: Fingerprint }[] = [];
  const holders = new Map<number, number[]>();

  const printOf = async (file: string): Promise<Fingerprint | null> => (await measureFile(file)).fingerprint;

  beforeAll(async () => {
    folder = await mkdtemp(path.join(os.tmpdir(), 'flagstone-fingerprints-'));
    const sounds = demoCollection().filter(({ seconds }) => seconds >= SHORTEST_SECONDS);
    for (const [at, sound] of sounds.entries()) {
      if (at % EVERY !== 0) continue;
      const file = path.join(folder, `${at}${path.extname(sound.path)}`);
      await writeFile(file, demoFileBytes(sound));
      const print = await printOf(file);
      if (!print) continue;
      for (const key of keysOf(print)) holders.set(key, [...(holders.get(key) ?? []), originals.length]);
      originals.push({ name: path.basename(sound.path), file, print });
    }
  });
  afterAll(() => rm(folder, { recursive: true, force: true }));

  /** The original that is most alike, as the server looks for it: by shared words, then bit by bit. */
  const found = (print: Fingerprint): string | undefined => {
    for (let turn = 0; turn < TURNS_OF_KEYS; turn += 1) {
      const keys = keysOfTurn(print, turn);
      const candidates = [...new Set(keys.flatMap((key) => holders.get(key) ?? []))];
      const [best] = candidates
        .flatMap((at) => {
          const original = originals[at];
          const same = original && sameRecording(print, original.print);
          return same ? [{ name: original.name, ...same }] : [];
        })
        .sort((a, b) => a.difference - b.difference);
      if (best) return best.name;
    }
    return undefined;
  };

  it.each(FORMS)('find each as %s', async (_, extension, args) => {
    expect(originals.length).toBeGreaterThan(9);
    const results: (string | undefined)[] = [];
    for (const { file } of originals) {
      const converted = path.join(folder, `converted.${extension}`);
      await promisify(execFile)('ffmpeg', ['-v', 'error', '-y', '-i', file, '-map_metadata', '-1', ...args, converted]);
      const print = await printOf(converted);
      results.push(print ? found(print) : undefined);
    }
    expect(results).toEqual(originals.map(({ name }) => name));
  });
});
