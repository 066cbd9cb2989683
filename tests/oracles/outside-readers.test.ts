import { execFile } from 'node:child_process';
import { mkdtemp, rm, writeFile } from 'node:fs/promises';
import os from 'node:os';
import path from 'node:path';
import { promisify } from 'node:util';
import { afterAll, beforeAll, describe, expect, it, jest } from '@jest/globals';
import { memorySource } from '@flagstone/core/formats/byte-source';
import { readWav } from '@flagstone/core/formats/wav/wav-reader';
import { planWavWrite } from '@flagstone/core/formats/wav/wav-writer';
import { applyPlan } from '@flagstone/core/formats/write-plan';
import { applyEdit } from '@flagstone/core/record/edit';
import { emptyRecord, type SoundRecord } from '@flagstone/core/record/fields';
import { builtInCategoryList } from '@flagstone/core/ucs/category-list';
import { demoCollection } from '@flagstone/demo/collection';
import { demoFileBytes } from '@flagstone/demo/make-collection';

jest.setTimeout(120_000);

/** Programs that know nothing of Flagstone read the demo's files before and after writing: ffprobe, exiftool, sndfile-info, soxi, ffmpeg. */
const run = promisify(execFile);
let folder = '';
const made: Uint8Array[] = [];
/** What exiftool says of each written file, all read in one call. */
let exif: Record<string, unknown>[] = [];

// One short sound of each way of storing that the demo has, and of each style of metadata.
const seen = new Set<string>();
const sounds = demoCollection().filter((sound) => {
  const kind = [sound.rate, sound.bits, sound.float, sound.channels, Object.keys(sound.tags).join('+')].join(' ');
  if (sound.seconds > 3 || seen.has(kind)) return false;
  seen.add(kind);
  return true;
});

const record: SoundRecord = applyEdit(
  emptyRecord(),
  {
    set: {
      catId: 'CERMBrk',
      fxName: 'Glazed Pot Shatters',
      description: 'A glazed pot is dropped onto the flagstones of the kiln yard.',
      keywords: ['pot', 'shatter', 'kiln yard'],
      library: 'Clay & Fire',
      creator: 'Orla Venn',
      creatorId: 'ORV',
      sourceId: 'CLAY',
      copyright: '2024 The Clay Heron',
      recordedOn: '2024-05-13T10:11:12',
      notes: 'two takes < one',
    },
  },
  builtInCategoryList(),
);

const place = (index: number, state: 'before' | 'after'): string => path.join(folder, `${index} ${state}.wav`);

beforeAll(async () => {
  folder = await mkdtemp(path.join(os.tmpdir(), 'flagstone-oracle-'));
  for (const [index, sound] of sounds.entries()) {
    const bytes = demoFileBytes(sound);
    made.push(bytes);
    await writeFile(place(index, 'before'), bytes);
    const { plan } = await planWavWrite(memorySource(bytes), record);
    await writeFile(place(index, 'after'), plan ? applyPlan(bytes, plan) : bytes);
  }
  const { stdout } = await run('exiftool', ['-j', '-G1', '-a', ...sounds.map((_, index) => place(index, 'after'))]);
  exif = JSON.parse(stdout) as Record<string, unknown>[];
});
afterAll(() => rm(folder, { recursive: true, force: true }));

interface Probe {
  streams: { codec_name: string; sample_rate: string; channels: number; bits_per_sample: number; duration: string }[];
  format: { tags?: Record<string, string> };
}

async function probe(file: string): Promise<Probe> {
  const { stdout, stderr } = await run('ffprobe', [
    '-v',
    'warning',
    '-of',
    'json',
    '-show_streams',
    '-show_format',
    `file:${file}`,
  ]);
  expect(stderr).toBe('');
  return JSON.parse(stdout) as Probe;
}

const audioMd5 = async (file: string): Promise<string> =>
  (await run('ffmpeg', ['-v', 'error', '-i', `file:${file}`, '-map', '0:a', '-f', 'md5', '-'])).stdout;

describe.each(
  sounds.map(
    (sound, index) =>
      [
        `${sound.rate} Hz, ${sound.bits} bit${sound.float ? ' float' : ''}, ${sound.channels} ch, ${Object.keys(sound.tags).join('+') || 'bare'}`,
        index,
      ] as const,
  ),
)('a file of %s', (_, index) => {
  it('has the facts that ffprobe, soxi and sndfile-info give', async () => {
    const { facts, issues } = await readWav(memorySource(made[index] ?? new Uint8Array(0)));
    expect(issues).toEqual([]);
    const [stream] = (await probe(place(index, 'before'))).streams;
    expect(facts.sampleRateHz).toBe(Number(stream?.sample_rate));
    expect(facts.channels).toBe(stream?.channels);
    expect(facts.bitDepth).toBe(stream?.bits_per_sample);
    expect(facts.durationSeconds).toBeCloseTo(Number(stream?.duration), 5);
    expect(facts.frames).toBe(Number((await run('soxi', ['-s', place(index, 'before')])).stdout));
    expect(facts.frames).toBe(
      Number(/Frames\s*:\s*(\d+)/.exec((await run('sndfile-info', [place(index, 'before')])).stdout)?.[1]),
    );
  });

  it('is read by all of them without a warning after it was written, with the same audio', async () => {
    const after = place(index, 'after');
    expect(await audioMd5(after)).toBe(await audioMd5(place(index, 'before')));
    const { format } = await probe(after);
    expect(format.tags).toMatchObject({
      title: record.fxName,
      comment: record.description,
      artist: record.creator,
      album: record.library,
      copyright: record.copyright,
    });
    const sndfile = (await run('sndfile-info', [after])).stdout;
    expect(sndfile).not.toMatch(/error|warning|\*\*\*/i);
    expect((await run('soxi', [after])).stderr).toBe('');
  });

  it('carries every field where exiftool looks for it', () => {
    const fields = exif[index] ?? {};
    expect(fields).toMatchObject({
      'RIFF:Title': record.fxName,
      'RIFF:Comment': record.description,
      'RIFF:Artist': record.creator,
      'RIFF:Product': record.library,
      'RIFF:Genre': 'CERAMICS/BREAK',
      'RIFF:Keywords': 'pot; shatter; kiln yard',
      'RIFF:Copyright': record.copyright,
      'RIFF:Description': record.description,
      'RIFF:Originator': record.creator,
      'RIFF:DateTimeOriginal': '2024:05:13 10:11:12',
      'XML:BwfxmlAswgCatId': 'CERMBrk',
      'XML:BwfxmlAswgCategory': 'CERAMICS',
      'XML:BwfxmlAswgSubCategory': 'BREAK',
      'XML:BwfxmlAswgNotes': record.notes,
    });
    expect(Object.entries(fields).filter(([name]) => /Warning|Error/.test(name))).toEqual([]);
  });
});
