import { execFileSync } from 'node:child_process';
import { mkdtemp, rm, writeFile } from 'node:fs/promises';
import os from 'node:os';
import path from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import type { AudioFacts } from '@flagstone/core/formats/audio-file';
import { mp3Frames } from '@flagstone/demo/container-files';
import { complaintOf, inputOf, refuseUnworkable } from './decoder.ts';
import { measureFile } from './measure-file.ts';

const facts = (over: Partial<AudioFacts>): AudioFacts => ({
  container: 'FLAC',
  codec: 'FLAC',
  sampleFormat: 'coded',
  sampleRateHz: 48_000,
  bitDepth: 24,
  channels: 2,
  frames: 48_000,
  durationSeconds: 1,
  audioOffset: 0,
  audioBytes: 100,
  frameBytes: 0,
  bigEndian: false,
  ...over,
});

describe('what is worked with', () => {
  it('are rates, channels and lengths that a sound can have', () => {
    expect(() => refuseUnworkable(facts({}))).not.toThrow();
    for (const beyond of [
      { sampleRateHz: 1, frames: 12_800_000, durationSeconds: 12_800_000 },
      { sampleRateHz: 4_000_000_000 },
      { channels: 65_535 },
      { channels: 0 },
      { frames: 2 ** 36, durationSeconds: 2 ** 36 / 48_000 },
      { sampleRateHz: Number.NaN },
    ])
      expect(() => refuseUnworkable(facts(beyond))).toThrow(/cannot be measured or drawn/);
  });

  it('is told to ffmpeg by its container, with files alone', () => {
    const input = inputOf('/x/a.mp3', facts({ container: 'MP3', audioOffset: 500 }), 2);
    expect(input.join(' ')).toContain('-protocol_whitelist file,pipe -f mp3 -skip_initial_bytes 500 -ss 2.000000');
  });

  it('is complained of without addresses and paths', () => {
    const said = '[mp3 @ 0x55d0c8a0] Header missing\nfile:/x/a.mp3: Invalid data';
    expect(complaintOf(said, '/x/a.mp3')).toBe('[mp3] Header missing the file: Invalid data');
  });
});

describe('measuring files made to hurt', () => {
  let folder = '';
  beforeAll(async () => {
    folder = await mkdtemp(path.join(os.tmpdir(), 'flagstone-decoder-'));
  });
  afterAll(() => rm(folder, { recursive: true }));

  it('refuses a FLAC of 1 Hz before any memory is taken', async () => {
    const file = path.join(folder, 'slow.flac');
    execFileSync(
      'flac',
      [
        '-s',
        '-f',
        '-o',
        file,
        '--force-raw-format',
        '--endian=little',
        '--sign=signed',
        '--channels=1',
        '--bps=16',
        '--sample-rate=1',
        '-',
      ],
      {
        input: Buffer.alloc(4_000_000),
      },
    );
    await expect(measureFile(file)).rejects.toMatchObject({ code: 'FORMAT_DAMAGED' });
  });

  it('decodes an MP3 past a tag of a hundred thousand frames', async () => {
    const frame = Buffer.concat([Buffer.from('TXXX'), Buffer.from([0, 0, 0, 5, 0, 0]), Buffer.from([0, 97, 0, 98, 0])]);
    const body = Buffer.concat(Array.from({ length: 100_000 }, () => frame));
    const size = Buffer.from([21, 14, 7, 0].map((shift) => (body.length >> shift) & 127));
    const tag = Buffer.concat([Buffer.from('ID3'), Buffer.from([3, 0, 0]), size, body]);
    const file = path.join(folder, 'tagged.mp3');
    await writeFile(file, Buffer.concat([tag, mp3Frames(40)]));
    const { facts: read } = await measureFile(file);
    expect(read.container).toBe('MP3');
  });
});
