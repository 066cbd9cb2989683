import { execFile } from 'node:child_process';
import { copyFile, mkdtemp, readFile, rm, stat, writeFile } from 'node:fs/promises';
import os from 'node:os';
import path from 'node:path';
import { promisify } from 'node:util';
import { afterAll, beforeAll, describe, expect, it, jest } from '@jest/globals';
import { fullAudioDigest } from '@flagstone/core/audio/digest';
import type { AudioFile } from '@flagstone/core/formats/audio-file';
import { memorySource } from '@flagstone/core/formats/byte-source';
import { planWrite } from '@flagstone/core/formats/plan-write';
import { applyPlan } from '@flagstone/core/formats/write-plan';
import { applyEdit } from '@flagstone/core/record/edit';
import { emptyRecord, filledFields } from '@flagstone/core/record/fields';
import { builtInCategoryList } from '@flagstone/core/ucs/category-list';
import { wavBytes } from '@flagstone/demo/wav-file';
import { readAudio, sha256 } from '@flagstone/server/disk/read-audio';
import { parseFile } from 'music-metadata';

jest.setTimeout(600_000);

/**
 * Files that sox and ffmpeg make in every container, depth and rate they know: what Flagstone reads of them is what ffprobe says; written by
 * Flagstone, they are read by ffprobe, ffmpeg, exiftool, mediainfo, music-metadata, sndfile-info and flac without a warning, with the same audio.
 */
const run = promisify(execFile);
let folder = '';

/** Name, the program, and its options between the input and the output. */
const MADE: [name: string, program: 'sox' | 'ffmpeg', options: string[]][] = [
  ['u8.wav', 'sox', ['-b', '8']],
  ['s16.wav', 'sox', ['-b', '16']],
  ['s24.wav', 'sox', ['-b', '24']],
  ['s32 192 kHz.wav', 'sox', ['-b', '32', '-r', '192000']],
  ['f32.wav', 'sox', ['-e', 'float', '-b', '32']],
  ['f64.wav', 'sox', ['-e', 'float', '-b', '64']],
  ['alaw.wav', 'sox', ['-e', 'a-law']],
  ['mulaw.wav', 'sox', ['-e', 'mu-law']],
  ['5.1 extensible.wav', 'ffmpeg', ['-ac', '6', '-c:a', 'pcm_s24le']],
  ['long.rf64.wav', 'ffmpeg', ['-rf64', 'always', '-c:a', 'pcm_s24le']],
  ['mpeg.wav', 'ffmpeg', ['-c:a', 'libmp3lame', '-b:a', '128k']],
  [
    'broadcast.wav',
    'ffmpeg',
    ['-write_bext', '1', '-metadata', 'description=Weir', '-metadata', 'time_reference=172800000'],
  ],
  ['s8.aiff', 'sox', ['-b', '8']],
  ['s16 44.1 kHz.aiff', 'sox', ['-b', '16', '-r', '44100']],
  ['s24.aiff', 'sox', ['-b', '24']],
  ['sowt.aifc', 'ffmpeg', ['-f', 'aiff', '-c:a', 'pcm_s16le']],
  ['f32.aifc', 'ffmpeg', ['-f', 'aiff', '-c:a', 'pcm_f32be']],
  ['alaw.aifc', 'ffmpeg', ['-f', 'aiff', '-c:a', 'pcm_alaw']],
  ['tagged.aiff', 'ffmpeg', ['-write_id3v2', '1', '-metadata', 'title=Old title']],
  ['s16.flac', 'sox', ['-b', '16']],
  ['s24 96 kHz.flac', 'sox', ['-b', '24', '-r', '96000']],
  ['tagged.flac', 'ffmpeg', ['-metadata', 'title=Old title', '-metadata', 'comment=Old']],
  ['plain.mp3', 'ffmpeg', ['-write_xing', '0', '-id3v2_version', '0', '-b:a', '192k']],
  ['v3.mp3', 'ffmpeg', ['-id3v2_version', '3', '-metadata', 'title=Old title']],
  ['v4 with v1.mp3', 'ffmpeg', ['-id3v2_version', '4', '-write_id3v1', '1', '-metadata', 'title=Old title']],
  ['variable.mp3', 'ffmpeg', ['-q:a', '4', '-ac', '1', '-ar', '22050']],
  ['vorbis.ogg', 'ffmpeg', ['-c:a', 'libvorbis', '-metadata', 'title=Old title']],
  ['vorbis of sox.ogg', 'sox', []],
  ['opus.opus', 'ffmpeg', ['-c:a', 'libopus', '-metadata', 'title=Old title']],
  ['read only.caf', 'ffmpeg', ['-c:a', 'pcm_s24le']],
  ['read only rifx.wav', 'sox', ['-B', '-b', '16']],
  ['read only s16.w64', 'ffmpeg', ['-c:a', 'pcm_s16le']],
  ['read only f32 of sox.w64', 'sox', ['-e', 'float', '-b', '32']],
  ['read only mulaw.au', 'sox', ['-e', 'mu-law']],
  ['read only s24.au', 'sox', ['-b', '24']],
  ['read only ima4.aifc', 'ffmpeg', ['-f', 'aiff', '-c:a', 'adpcm_ima_qt']],
  ['read only lossless 192 kHz.m4a', 'ffmpeg', ['-c:a', 'alac', '-ar', '192000']],
  ['read only lossless 44.1 kHz.m4a', 'ffmpeg', ['-c:a', 'alac', '-ar', '44100', '-sample_fmt', 's32p']],
  ['read only.m4a', 'ffmpeg', ['-c:a', 'aac', '-metadata', 'title=Old title']],
];
const names = MADE.map(([name]) => name);
const writable = names.filter((name) => !name.startsWith('read only'));

const record = applyEdit(
  emptyRecord(),
  {
    set: {
      catId: 'CERMBrk',
      fxName: 'Glazed Pot Shatters',
      description: 'A glazed pot is dropped, très fort, onto the flagstones.',
      keywords: ['pot', 'shatter', 'kiln yard'],
      library: 'Clay & Fire',
      creator: 'Orla Venn',
      copyright: '2024 The Clay Heron',
      publisher: 'The Clay Heron',
      composer: 'Teasel Marsh',
      recordedOn: '2024-05-13T10:11:12',
      licenceUrl: 'https://example.org/licence',
      tempo: 96,
      key: 'Dm',
    },
  },
  builtInCategoryList(),
);

const before = (name: string): string => path.join(folder, name);
const after = (name: string): string => path.join(folder, `written ${name}`);
const readFileOf = async (file: string): Promise<AudioFile> =>
  readAudio(memorySource(new Uint8Array(await readFile(file))), file);

let exif: Record<string, unknown>[] = [];
let media: { media: { '@ref': string; track: Record<string, string>[] } }[] = [];

beforeAll(async () => {
  folder = await mkdtemp(path.join(os.tmpdir(), 'flagstone containers '));
  const tone = (divisor: number) =>
    Float32Array.from({ length: 72_000 }, (_, index) => Math.sin(index / divisor) * 0.4);
  const source = path.join(folder, 'source.wav');
  await writeFile(source, wavBytes([tone(7), tone(11)], { rate: 48000, bits: 24 }));
  for (const [name, program, options] of MADE) {
    if (program === 'sox') await run('sox', ['-D', source, ...options, before(name)]);
    else await run('ffmpeg', ['-v', 'error', '-i', source, ...options, before(name)]);
  }
  for (const name of writable) {
    const bytes = new Uint8Array(await readFile(before(name)));
    const { plan } = await planWrite(memorySource(bytes), record);
    await writeFile(after(name), plan ? applyPlan(bytes, plan) : bytes);
  }
  const written = writable.map(after);
  exif = JSON.parse((await run('exiftool', ['-j', '-a', '-G0', ...written], { maxBuffer: 1e8 })).stdout) as typeof exif;
  const { stdout } = await run('mediainfo', ['--Output=JSON', ...written], { maxBuffer: 1e8 });
  media = JSON.parse(stdout) as typeof media;
});
afterAll(() => rm(folder, { recursive: true, force: true }));

interface Probe {
  streams: {
    codec_name: string;
    sample_rate: string;
    channels: number;
    bits_per_raw_sample?: string;
    bits_per_sample: number;
    duration?: string;
    tags?: Record<string, string>;
  }[];
  format: { duration: string; tags?: Record<string, string> };
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
  // Of raw MP3 without a header ffmpeg itself says that it estimates the duration.
  expect(stderr.split('\n').filter((line) => line !== '' && !line.includes('Estimating duration'))).toEqual([]);
  return JSON.parse(stdout) as Probe;
}

const decodedMd5 = async (file: string): Promise<string> => {
  const { stdout, stderr } = await run('ffmpeg', [
    '-v',
    'error',
    '-i',
    `file:${file}`,
    '-map',
    '0:a',
    '-f',
    'md5',
    '-',
  ]);
  expect(stderr).toBe('');
  return stdout;
};

describe.each(names)('%s', (name) => {
  it('has the facts that ffprobe gives', async () => {
    const { facts, issues } = await readFileOf(before(name));
    const { streams, format } = await probe(before(name));
    const [stream] = streams;
    expect(issues).toEqual([]);
    expect(facts.sampleRateHz).toBe(Number(stream?.sample_rate));
    expect(facts.channels).toBe(stream?.channels);
    if (facts.bitDepth > 0) expect(facts.bitDepth).toBe(Number(stream?.bits_per_raw_sample ?? stream?.bits_per_sample));
    // ffprobe counts what an encoder added to coded audio, or estimates; the sound itself has a second and a half.
    const exact = facts.sampleFormat !== 'coded' || facts.container === 'FLAC';
    expect(facts.durationSeconds).toBeCloseTo(
      exact ? Number(stream?.duration ?? format.duration) : 1.5,
      exact ? 4 : 0.7,
    );
  });
});

const tagsOf = ({ streams, format }: Probe): Record<string, string> =>
  Object.fromEntries(
    [...Object.entries(streams[0]?.tags ?? {}), ...Object.entries(format.tags ?? {})].map(([key, text]) => [
      key.toLowerCase(),
      text,
    ]),
  );

describe.each(writable)('%s, written', (name) => {
  it('says the record in every place, with the audio unchanged', async () => {
    const [old, now] = [await readFileOf(before(name)), await readFileOf(after(name))];
    expect(now.record).toEqual(filledFields(record));
    expect([now.issues, now.disagreeing]).toEqual([[], []]);
    const digestOf = async (file: string, { facts }: AudioFile) =>
      fullAudioDigest(memorySource(new Uint8Array(await readFile(file))), facts, sha256());
    expect(await digestOf(after(name), now)).toBe(await digestOf(before(name), old));
    expect(await decodedMd5(after(name))).toBe(await decodedMd5(before(name)));
  });

  it('is read by ffprobe without a warning, its tags too', async () => {
    const probed = await probe(after(name));
    const tags = tagsOf(probed);
    expect(tags).toMatchObject({ title: record.fxName, artist: record.creator });
    if (!/aif/.test(name)) expect(tags).toMatchObject({ album: record.library, copyright: record.copyright });
  });

  it('is read by exiftool and mediainfo without a warning', () => {
    const index = writable.indexOf(name);
    const fields = exif[index] ?? {};
    expect(Object.entries(fields).filter(([key]) => /Warning|Error/.test(key))).toEqual([]);
    const values = Object.values(fields).map(String);
    for (const text of [record.fxName, record.creator, record.library, record.copyright, record.description])
      expect(values).toContain(text);
    const [general] = media.find((file) => file.media['@ref'] === after(name))?.media.track ?? [];
    expect(general).toMatchObject({ AudioCount: '1' });
    expect(general?.['Conformance_Errors']).toBeUndefined();
  });

  it('is read by music-metadata, field by field', async () => {
    const { common, quality } = await parseFile(after(name));
    // It knows no FLAC or MPEG in WAV and warns of what it does not know; what it reads has to be right.
    if (common.title !== undefined) expect(common.title).toBe(record.fxName);
    if (common.artist !== undefined) expect(common.artist).toBe(record.creator);
    if (/flac|mp3|ogg|opus|tagged/.test(name)) {
      expect(common).toMatchObject({ title: record.fxName, artist: record.creator, album: record.library });
      // It takes the zeros of padding (ID3v2.3 §3) for frames without a name, the last of them cut short.
      const warnings = quality.warnings.map(({ message }) => message.replaceAll('\0', ''));
      expect(
        warnings.filter((message) => !/frame-header-ID: *$|empty tag type= *$|Illegal ID3v2 tag length/.test(message)),
      ).toEqual([]);
    }
  });
});

describe('further programs', () => {
  it('flac tests its files silently, and metaflac finds the comments', async () => {
    for (const name of writable.filter((each) => each.endsWith('.flac'))) {
      expect((await run('flac', ['-t', '-s', after(name)])).stderr).toBe('');
      const { stdout } = await run('metaflac', ['--export-tags-to=-', after(name)]);
      expect(stdout).toContain(`TITLE=${record.fxName}\n`);
      expect(stdout).toContain('CATID=CERMBrk\n');
    }
  });

  it('sndfile-info finds nothing to complain about that was not there before', async () => {
    for (const name of writable.filter((each) => !/mpeg|mp3|opus/.test(each))) {
      const complaints = async (file: string): Promise<string[]> =>
        (await run('sndfile-info', [file])).stdout
          .split('\n')
          .filter((line) => /error|warning|\*\*\*/i.test(line) && !line.includes('(unknown marker)'));
      expect(await complaints(after(name))).toEqual(await complaints(before(name)));
    }
  });

  it('copies of one file are the same file: nothing is written twice', async () => {
    const [first = ''] = writable;
    await copyFile(after(first), path.join(folder, 'copy'));
    const bytes = new Uint8Array(await readFile(path.join(folder, 'copy')));
    expect(await planWrite(memorySource(bytes), record)).toEqual({ changed: [] });
    expect((await stat(after(first))).size).toBe(bytes.length);
  });
});
