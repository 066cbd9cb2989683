import { describe, expect, it } from '@jest/globals';
import { aiffBytes, cafBytes, flacBytes, mp3Frames, oggBytes } from '@flagstone/demo/container-files';
import { wavBytes } from '@flagstone/demo/wav-file';
import { aiffChunkBytes } from './aiff/aiff-chunks.ts';
import { bytesOfAscii, concatBytes, memorySource, viewOf } from './byte-source.ts';
import { describeFile } from './describe-file.ts';
import { hexDump, type FileBlock } from './file-block.ts';
import { FLAC_BLOCK } from './flac/flac-blocks.ts';
import { id3FrameBytes, id3TagBytes } from './id3/id3-tag.ts';
import { writeBext } from './wav/bext.ts';
import { riffChunkBytes } from './wav/riff-chunks.ts';
import { writeVorbisComment } from './vorbis-comment.ts';

const signal = new Float32Array(40);
const shape = { rate: 48000, bits: 16 } as const;

/** Numbers of 32 bits one after another. */
const words = (little: boolean, ...values: number[]): Uint8Array => {
  const bytes = new Uint8Array(values.length * 4);
  values.forEach((value, index) => viewOf(bytes).setUint32(index * 4, value, little));
  return bytes;
};
const padded = (text: string, length: number): Uint8Array =>
  concatBytes([bytesOfAscii(text), new Uint8Array(length - text.length)]);

const blockOf = async (file: Uint8Array, id: string): Promise<FileBlock | undefined> =>
  (await describeFile(memorySource(file))).find((block) => block.id === id);
const valuesOf = async (file: Uint8Array, id: string): Promise<Record<string, string>> =>
  Object.fromEntries(((await blockOf(file, id))?.details ?? []).map(({ name, value }) => [name, value]));
const wavWith = (...chunks: Uint8Array[]): Uint8Array => wavBytes([signal], shape, {}, chunks);

describe('what stands in a WAV file', () => {
  it('is told chunk by chunk in file order, without a gap', async () => {
    const file = wavWith(riffChunkBytes('JUNK', new Uint8Array(10)), riffChunkBytes('odd ', bytesOfAscii('abc')));
    const blocks = await describeFile(memorySource(file));
    expect(blocks.map(({ id, kind }) => [id, kind])).toEqual([
      ['RIFF', 'structure'],
      ['fmt ', 'structure'],
      ['data', 'audio'],
      ['JUNK', 'padding'],
      ['odd ', 'unknown'],
    ]);
    let end = 0;
    for (const block of blocks) {
      expect(block.offsetBytes).toBe(end);
      end += block.sizeBytes;
    }
    expect(end).toBe(file.length);
    expect(blocks.at(-1)?.hex).toBe(`0000  61 62 63${' '.repeat(41)}abc`);
  });

  it('holds cue points with their labels and regions', async () => {
    const cue = concatBytes([words(true, 1), words(true, 7, 100), bytesOfAscii('data'), words(true, 0, 0, 100)]);
    const label = riffChunkBytes('labl', concatBytes([words(true, 7), bytesOfAscii('hit\0')]));
    const region = riffChunkBytes('ltxt', concatBytes([words(true, 7, 480), bytesOfAscii('rgn '), new Uint8Array(8)]));
    const file = wavWith(
      riffChunkBytes('cue ', cue),
      riffChunkBytes('LIST', concatBytes([bytesOfAscii('adtl'), label, region])),
    );
    expect(await valuesOf(file, 'cue ')).toEqual({ 'Cue 7': 'sample 100 in data' });
    expect(await valuesOf(file, 'LIST adtl')).toMatchObject({
      'labl of cue 7': 'hit',
      'ltxt of cue 7': '480 samples, rgn',
    });
  });

  it('holds loops, instruments, traffic data and channel allocation', async () => {
    const loops = words(true, 0, 0, 20_833, 60, 0, 0, 0, 1, 0, 3, 1, 10, 30, 0, 2);
    const cart = concatBytes([
      padded('0101', 4),
      padded('Lock gate', 64),
      new Uint8Array(2048 - 68),
      bytesOfAscii('tag text'),
    ]);
    const chna = concatBytes([
      Uint8Array.of(1, 0, 1, 0, 1, 0),
      padded('ATU_00000001', 12),
      padded('AT_00010001_01', 14),
      padded('AP_00010002', 11),
      new Uint8Array(1),
    ]);
    const file = wavWith(
      riffChunkBytes('smpl', loops),
      riffChunkBytes('inst', Uint8Array.of(60, 0xfb, 0xfd, 0, 127, 1, 127)),
      riffChunkBytes('cart', cart),
      riffChunkBytes('chna', chna),
    );
    expect(await valuesOf(file, 'smpl')).toMatchObject({
      'Unity note': '60',
      'Loop 3': 'samples 10 to 30, forward and back, 2 times',
    });
    expect(await valuesOf(file, 'inst')).toMatchObject({
      'Unshifted note': '60',
      'Fine tune': '-5 cents',
      Gain: '-3 dB',
    });
    expect(await valuesOf(file, 'cart')).toEqual({
      Version: '0101',
      Title: 'Lock gate',
      LevelReference: '0',
      TagText: 'tag text',
    });
    expect(await valuesOf(file, 'chna')).toMatchObject({ 'Track 1': 'ATU_00000001 · AT_00010001_01 · AP_00010002' });
  });

  it('tells the loudness of a bext chunk of version 2 in its units, and what is not used not at all', async () => {
    const bext = writeBext(undefined, { description: 'Weir' });
    const view = viewOf(bext);
    view.setUint16(346, 2, true);
    // EBU Tech 3285 v2 §2.3: hundredths, 0x7fff where a value is not used.
    [-2345, 789, -110, 0x7fff, 0x7fff].forEach((value, index) => view.setInt16(412 + index * 2, value, true));
    bext[348] = 6;
    const values = await valuesOf(wavWith(riffChunkBytes('bext', bext)), 'bext');
    expect(values).toMatchObject({
      Description: 'Weir',
      LoudnessValue: '-23.45 LUFS',
      LoudnessRange: '7.89 LU',
      MaxTruePeakLevel: '-1.1 dBTP',
    });
    expect(values['MaxMomentaryLoudness']).toBeUndefined();
    expect(values['UMID']).toMatch(/^06(00)+$/);
  });

  it('tells every text of iXML by its path, and of XML that is broken the text itself', async () => {
    const ixml =
      '<BWFXML><SPEED><MASTER_SPEED>24/1</MASTER_SPEED></SPEED><TRACK_LIST><TRACK><NAME>L</NAME></TRACK><TRACK><NAME>R</NAME></TRACK></TRACK_LIST></BWFXML>';
    expect(await valuesOf(wavWith(riffChunkBytes('iXML', bytesOfAscii(ixml))), 'iXML')).toEqual({
      'SPEED/MASTER_SPEED': '24/1',
      'TRACK_LIST/TRACK 1/NAME': 'L',
      'TRACK_LIST/TRACK 2/NAME': 'R',
    });
    const broken = await valuesOf(wavWith(riffChunkBytes('iXML', bytesOfAscii('<BWFXML><A>'))), 'iXML');
    expect(broken).toMatchObject({ Fault: expect.stringContaining('not well-formed'), Text: '<BWFXML><A>' });
  });

  it('shows a chunk that ends in the middle of a number as bytes', async () => {
    const block = await blockOf(wavWith(riffChunkBytes('smpl', bytesOfAscii('short'))), 'smpl');
    expect(block).toMatchObject({ kind: 'metadata', details: [], hex: expect.stringContaining('short') });
    expect(hexDump(new Uint8Array(1000)).split('\n')).toHaveLength(16);
  });
});

describe('what stands in other containers', () => {
  it('are markers, comments and loops of AIFF', async () => {
    const mark = concatBytes([Uint8Array.of(0, 1, 0, 1), words(false, 4800), bytesOfAscii('\x05start')]);
    const comment = concatBytes([
      Uint8Array.of(0, 1),
      words(false, 2_082_844_800),
      Uint8Array.of(0, 0, 0, 4),
      bytesOfAscii('note'),
    ]);
    const instrument = concatBytes([Uint8Array.of(60, 0, 0, 127, 1, 127, 0, 3), new Uint8Array(12)]);
    const file = aiffBytes([signal], shape, {
      behind: [aiffChunkBytes('MARK', mark), aiffChunkBytes('COMT', comment), aiffChunkBytes('INST', instrument)],
    });
    expect(await valuesOf(file, 'MARK')).toEqual({ 'Marker 1': 'sample 4800 start' });
    expect(await valuesOf(file, 'COMT')).toEqual({ '1970-01-01T00:00:00': 'note' });
    expect(await valuesOf(file, 'INST')).toMatchObject({ 'Base note': '60', Gain: '3 dB' });
    expect(await valuesOf(file, 'COMM')).toMatchObject({ Codec: 'PCM', 'Sample rate': '48000 Hz', Frames: '40' });
  });

  it('are the blocks of FLAC', async () => {
    const picture = concatBytes([
      words(false, 3, 9),
      bytesOfAscii('image/png'),
      words(false, 3),
      bytesOfAscii('pot'),
      words(false, 20, 10, 24, 0, 0),
    ]);
    const file = flacBytes(500, [
      [FLAC_BLOCK.vorbisComment, writeVorbisComment(undefined, new Map([['TITLE', 'Kiln']]))],
      [FLAC_BLOCK.picture, picture],
      [FLAC_BLOCK.application, bytesOfAscii('riffLIST....')],
    ]);
    expect(await valuesOf(file, 'STREAMINFO')).toMatchObject({ 'Sample rate': '48000 Hz', Bits: '16', Frames: '500' });
    expect(await valuesOf(file, 'VORBIS_COMMENT')).toEqual({ Vendor: 'Flagstone', TITLE: 'Kiln' });
    expect(await valuesOf(file, 'PICTURE')).toMatchObject({
      'Media type': 'image/png',
      Description: 'pot',
      Size: '20 x 10',
    });
    expect(await valuesOf(file, 'APPLICATION')).toEqual({ Application: 'riff', Chunk: 'LIST', Bytes: '8' });
  });

  it('are the frames of ID3, chapters by their times', async () => {
    const frames = [
      id3FrameBytes(3, 'TIT2', bytesOfAscii('\0Weir')),
      id3FrameBytes(3, 'TXXX', bytesOfAscii('\0CATID\0WATRFall')),
      id3FrameBytes(3, 'CHAP', concatBytes([bytesOfAscii('take1\0'), words(false, 500, 1500, 0, 0)])),
      id3FrameBytes(3, 'APIC', new Uint8Array(70)),
    ];
    const file = concatBytes([id3TagBytes(3, frames, 12), mp3Frames(3)]);
    expect(await valuesOf(file, 'ID3v2.3')).toEqual({
      TIT2: 'Weir',
      TXXX: 'CATID = WATRFall',
      CHAP: 'take1: 0.5 s to 1.5 s',
      APIC: '70 bytes',
      Padding: '12 bytes',
    });
    expect(await blockOf(file, 'frames')).toMatchObject({ kind: 'audio', sizeBytes: 3 * 384 });
  });

  it('are the headers of Ogg and the chunks of CAF', async () => {
    expect(await valuesOf(oggBytes('Opus', 4800), 'OpusTags')).toEqual({ Vendor: 'Flagstone', Pages: '1' });
    const caf = await describeFile(memorySource(cafBytes([signal], shape)));
    expect(caf.map(({ id, kind }) => [id, kind])).toEqual([
      ['desc', 'structure'],
      ['data', 'audio'],
    ]);
  });
});
