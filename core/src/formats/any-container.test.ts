import { createHash } from 'node:crypto';
import { describe, expect, it } from '@jest/globals';
import { aiffBytes, cafBytes, flacBytes, mp3Frames, oggBytes } from '@flagstone/demo/container-files';
import { wavBytes } from '@flagstone/demo/wav-file';
import fc from 'fast-check';
import { AudioDigester, fullAudioDigest, quickAudioDigest } from '../audio/digest.ts';
import { applyEdit } from '../record/edit.ts';
import { emptyRecord, FIELDS, filledFields, type SoundRecord } from '../record/fields.ts';
import { builtInCategoryList } from '../ucs/category-list.ts';
import type { AudioFile } from './audio-file.ts';
import { aiffChunkBytes, readAiffChunks } from './aiff/aiff-chunks.ts';
import { asciiOf, bytesOfAscii, concatBytes, memorySource, viewOf } from './byte-source.ts';
import { id3FrameBytes, id3TagBytes } from './id3/id3-tag.ts';
import { planWrite } from './plan-write.ts';
import type { WriteOptions } from './write-options.ts';
import { readAudioFile } from './read-audio-file.ts';
import { readRiffChunks, riffChunkBytes } from './wav/riff-chunks.ts';
import { applyPlan, patchesOf, type WritePlan } from './write-plan.ts';

/** What holds for every container: any record comes back, the audio stays, and the second write is in place. */
const signal = Float32Array.from({ length: 1001 }, (_, index) => Math.sin(index / 7) * 0.5);
const shape = { rate: 48000, bits: 24 } as const;
const id3v1 = concatBytes([bytesOfAscii('TAGOld title'), new Uint8Array(116)]);

const FILES: [name: string, bytes: Uint8Array, options?: WriteOptions][] = [
  ['WAV', wavBytes([signal], shape)],
  ['WAV with an ID3 chunk', wavBytes([signal], shape, {}, [riffChunkBytes('id3 ', id3TagBytes(3, [], 30))])],
  ['AIFF', aiffBytes([signal], shape)],
  ['AIFF-C, sowt', aiffBytes([signal], shape, { compression: 'sowt' })],
  ['FLAC', flacBytes(900)],
  [
    'FLAC behind an ID3 tag',
    concatBytes([id3TagBytes(3, [id3FrameBytes(3, 'TIT2', bytesOfAscii('\0Old'))], 20), flacBytes(900)]),
  ],
  [
    'FLAC behind a tag of version 2.4 without room',
    concatBytes([id3TagBytes(4, [id3FrameBytes(4, 'TALB', bytesOfAscii('\x03Old'))], 0), flacBytes(900)]),
  ],
  ['MP3', mp3Frames(5)],
  ['MP3 with ID3v1', concatBytes([mp3Frames(5), id3v1])],
  ['MP3 with a tag of version 2.2', concatBytes([id3TagBytes(2, [], 10), mp3Frames(4)])],
  ['MP3 with a tag of version 2.4', mp3Frames(4), { id3Version: 4 }],
  ['Ogg Vorbis', oggBytes('Vorbis', 4800)],
  ['Ogg Opus', oggBytes('Opus', 4800)],
];

const sha256 = () => {
  const hash = createHash('sha256');
  return { update: (bytes: Uint8Array) => void hash.update(bytes), hex: () => hash.digest('hex') };
};

const read = (bytes: Uint8Array): Promise<AudioFile> =>
  readAudioFile(memorySource(bytes), () => Promise.reject(new Error('no M4A here')));

const carryOut = (file: Uint8Array, plan: WritePlan | undefined): Uint8Array => (plan ? applyPlan(file, plan) : file);

const digests = async (bytes: Uint8Array): Promise<string[]> => {
  const { facts } = await read(bytes);
  const source = memorySource(bytes);
  return [await fullAudioDigest(source, facts, sha256()), await quickAudioDigest(source, facts, sha256())];
};

const categories = builtInCategoryList();
const anyText = fc.string({ unit: 'grapheme', maxLength: 40 });
const anyMark = fc.tuple(
  fc.integer({ min: 0, max: 4_000_000 }),
  fc.integer({ min: 1, max: 400_000 }),
  fc.string({ maxLength: 20 }),
);
/** Any marks, as lines of text. */
const anyMarks = (line: (at: number, length: number, name: string) => string): fc.Arbitrary<string> =>
  fc
    .array(anyMark, { maxLength: 5 })
    .map((marks) => marks.map(([at, length, name]) => line(at, length, name.replace(/\s/g, ' '))).join('\n'));
const anyRecord = fc
  .record({
    catId: fc.constantFrom('', ...categories.categories.slice(0, 50).map((category) => category.catId)),
    keywords: fc.array(anyText, { maxLength: 4 }),
    weight: fc.option(fc.integer({ min: 1, max: 5 })),
    tempo: fc.option(fc.double({ min: 1, max: 999, noNaN: true })),
    form: fc.constantFrom('', 'single', 'bed'),
    slices: anyMarks((at, length, name) => `${at} ${at + length} ${name}`),
    syncPoints: anyMarks((at, _, name) => `${at} ${name}`),
    recordedOn: fc.oneof(fc.constantFrom('2024-05-13', '2024-05-13T23:59:59', '2024', 'spring'), anyText),
    texts: fc.array(anyText, { minLength: FIELDS.length, maxLength: FIELDS.length }),
  })
  .map(({ texts, catId, ...values }): SoundRecord => {
    const textFields = FIELDS.filter(
      (field) => (field.kind === 'text' || field.kind === 'longText') && field.name !== 'recordedOn',
    );
    const set = Object.fromEntries(textFields.map((field, index) => [field.name, texts[index] ?? '']));
    return applyEdit(emptyRecord(), { set: { ...set, ...values, ...(catId === '' ? {} : { catId }) } }, categories);
  });

describe.each(FILES)('any record written into %s', (_, file, options) => {
  it('comes back the same from every place, twice, with the audio unchanged, and needs no third write', async () => {
    const { issues } = await read(file);
    const before = await digests(file);
    await fc.assert(
      fc.asyncProperty(anyRecord, anyRecord, async (first, second) => {
        let bytes = file;
        for (const record of [first, second]) {
          bytes = carryOut(bytes, (await planWrite(memorySource(bytes), record, options)).plan);
          const back = await read(bytes);
          expect(back.record).toEqual(filledFields(record));
          expect(back.disagreeing).toEqual([]);
          expect(back.issues).toEqual(issues);
          expect(await digests(bytes)).toEqual(before);
        }
        expect(await planWrite(memorySource(bytes), second, options)).toEqual({ changed: [] });
      }),
      { numRuns: 60 },
    );
  });

  it('leaves room, so that the next edit rewrites little and leaves the audio where it is', async () => {
    const record = { ...emptyRecord(), fxName: 'Pot Falls', description: 'A pot falls onto the flagstones.' };
    const once = carryOut(file, (await planWrite(memorySource(file), record, options)).plan);
    for (const notes of ['a longer record', 'short', 'w'.repeat(900)]) {
      const { plan } = await planWrite(memorySource(once), { ...record, notes }, options);
      if (!plan) throw new Error('there is something to write');
      const patches = await patchesOf(plan, memorySource(once), (await read(once)).facts);
      expect(patches).toBeDefined();
      // Patches over the old file give the very file that the plan gives.
      const patched = new Uint8Array(plan.sizeBytes);
      patched.set(once.subarray(0, plan.sizeBytes));
      for (const { offset, bytes } of patches ?? []) patched.set(bytes, offset);
      expect(Buffer.compare(patched, carryOut(once, plan))).toBe(0);
    }
  });
});

/** Chunks that no field stands in, as other programs leave them, in any order. */
const anyChunks = fc.array(
  fc.tuple(fc.constantFrom('abcd', 'plst', 'smpl', 'odd!', 'APPL'), fc.uint8Array({ maxLength: 40 })),
  { maxLength: 5 },
);

describe('chunks in any order', () => {
  const kept = (chunks: { id: string; dataOffset: number; sizeBytes: number }[], file: Uint8Array): string[] =>
    chunks
      .filter(({ id }) => ['abcd', 'plst', 'smpl', 'odd!', 'APPL'].includes(id))
      .map(({ id, dataOffset, sizeBytes }) => `${id} ${asciiOf(file.subarray(dataOffset, dataOffset + sizeBytes))}`);

  it('keep their bytes and their order in WAV, whatever is written', async () => {
    await fc.assert(
      fc.asyncProperty(anyChunks, anyChunks, anyRecord, anyRecord, async (before, behind, first, second) => {
        const chunk = ([id, contents]: [string, Uint8Array]) => riffChunkBytes(id, contents);
        const plain = wavBytes([signal], shape, {}, behind.map(chunk));
        const file = concatBytes([plain.subarray(0, 36), ...before.map(chunk), plain.subarray(36)]);
        viewOf(file).setUint32(4, file.length - 8, true);
        let written: Uint8Array = file;
        for (const record of [first, second])
          written = carryOut(written, (await planWrite(memorySource(written), record)).plan);
        const [old, now] = await Promise.all([file, written].map((bytes) => readRiffChunks(memorySource(bytes))));
        expect(kept(now?.value.chunks ?? [], written)).toEqual(kept(old?.value.chunks ?? [], file));
        expect((await read(written)).record).toEqual(filledFields(second));
        expect(viewOf(written).getUint32(4, true)).toBe(written.length - 8);
        expect(await digests(written)).toEqual(await digests(file));
      }),
      { numRuns: 100 },
    );
  });

  it('keep their bytes and their order in AIFF, whatever is written', async () => {
    await fc.assert(
      fc.asyncProperty(anyChunks, anyChunks, anyRecord, anyRecord, async (before, behind, first, second) => {
        const chunk = ([id, contents]: [string, Uint8Array]) => aiffChunkBytes(id, contents);
        const file = aiffBytes([signal], shape, { before: before.map(chunk), behind: behind.map(chunk) });
        let written: Uint8Array = file;
        for (const record of [first, second])
          written = carryOut(written, (await planWrite(memorySource(written), record)).plan);
        const [old, now] = await Promise.all([file, written].map((bytes) => readAiffChunks(memorySource(bytes))));
        expect(kept(now?.value.chunks ?? [], written)).toEqual(kept(old?.value.chunks ?? [], file));
        expect((await read(written)).record).toEqual(filledFields(second));
        expect(viewOf(written).getUint32(4)).toBe(written.length - 8);
        expect(await digests(written)).toEqual(await digests(file));
      }),
      { numRuns: 100 },
    );
  });
});

describe('the audio digest', () => {
  it('is the same for the same samples in WAV, AIFF, AIFF-C and CAF, at every depth', async () => {
    for (const bits of [8, 16, 24, 32] as const) {
      const stored = { rate: 44100, bits };
      const channels = [signal, signal.map((value) => -value)];
      const [wav, ...others] = await Promise.all(
        [
          wavBytes(channels, stored),
          aiffBytes(channels, stored),
          ...(bits === 8 ? [] : [aiffBytes(channels, stored, { compression: 'sowt' }), cafBytes(channels, stored)]),
        ].map(digests),
      );
      for (const other of others) expect(other).toEqual(wav);
    }
  });

  it('is the same however the bytes are cut when they are fed', async () => {
    for (const [, bytes] of FILES) {
      const { facts } = await read(bytes);
      const audio = bytes.subarray(facts.audioOffset, facts.audioOffset + facts.audioBytes);
      for (const step of [1, 7, 64, 1000]) {
        const digester = new AudioDigester(facts, sha256());
        for (let at = 0; at < audio.length; at += step) digester.update(audio.subarray(at, at + step));
        expect(digester.hex()).toBe((await digests(bytes))[0]);
      }
    }
  });

  it('of Ogg does not count the numbers and checksums of pages', async () => {
    const file = oggBytes('Vorbis', 4800);
    const renumbered = file.slice();
    const { facts } = await read(file);
    renumbered[facts.audioOffset + 18] = 99;
    renumbered[facts.audioOffset + 22] = (renumbered[facts.audioOffset + 22] ?? 0) ^ 0xff;
    expect(await digests(renumbered)).toEqual(await digests(file));
  });
});
