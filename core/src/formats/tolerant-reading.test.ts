import { describe, expect, it } from '@jest/globals';
import { flacBytes, mp3Frames, oggBytes } from '@flagstone/demo/container-files';
import { wavBytes } from '@flagstone/demo/wav-file';
import { emptyRecord } from '../record/fields.ts';
import { bytesOfAscii, concatBytes, memorySource, viewOf } from './byte-source.ts';
import { containerOf } from './container.ts';
import { oggPageBytes, parseOggPage } from './ogg/ogg-pages.ts';
import { readOgg } from './ogg/ogg-reader.ts';
import { readFlac } from './flac/flac-reader.ts';
import { readMp3 } from './mp3/mp3-reader.ts';
import { planWrite } from './plan-write.ts';
import { riffChunkBytes } from './wav/riff-chunks.ts';
import { readWav } from './wav/wav-reader.ts';

/** What stands in files of the field against the letter of their formats: read as it is meant, and not written, with the reason. */
const signal = (frames: number) => Float32Array.from({ length: frames }, (_, index) => Math.sin(index / 7));
const plain = (frames = 200) => wavBytes([signal(frames)], { rate: 48000, bits: 16 });
const refusal = (file: Uint8Array): Promise<string> =>
  planWrite(memorySource(file), { ...emptyRecord(), fxName: 'Lock Gate' }).then(
    () => 'written',
    (error: Error) => error.message,
  );

describe('a WAV file', () => {
  it.each([
    ['0, as a recorder leaves it that lost its power', 0],
    ['all bits, as a program writes it that cannot go back', 0xffffffff],
  ])('is read to its end when its data chunk says %s', async (_, size) => {
    const file = plain();
    viewOf(file).setUint32(40, size, true);
    const { facts, issues } = await readWav(memorySource(file));
    expect([facts.frames, facts.audioBytes, facts.isCutShort]).toEqual([200, 400, undefined]);
    expect(issues.map(({ code }) => code)).toEqual(['SIZE_NOT_SET']);
    expect(await refusal(file)).toContain('does not say how long the audio is');
  });

  it('has no audio when its data chunk is empty and others follow it', async () => {
    const file = concatBytes([plain(0), riffChunkBytes('LIST', bytesOfAscii('INFO'))]);
    const { facts, issues } = await readWav(memorySource(file));
    expect([facts.frames, issues]).toEqual([0, []]);
  });

  it.each(['LIST', 'smpl'])('keeps what follows audio of odd length without its pad byte: %s', async (id) => {
    const odd = wavBytes([signal(201)], { rate: 48000, bits: 8 });
    const unpadded = odd.subarray(0, 44 + 201);
    const list = riffChunkBytes(
      'LIST',
      concatBytes([bytesOfAscii('INFO'), riffChunkBytes('INAM', bytesOfAscii('Weir\0'))]),
    );
    const file = concatBytes([unpadded, ...(id === 'LIST' ? [] : [riffChunkBytes(id, new Uint8Array(36))]), list]);
    const { record, issues, facts } = await readWav(memorySource(file));
    expect([record.fxName, facts.frames]).toEqual(['Weir', 201]);
    expect(issues.map(({ code }) => code)).toEqual(['PAD_BYTE_MISSING']);
    expect(await refusal(file)).toContain('the pad byte behind it is missing');
  });

  it('is read with its numbers big-endian, as RIFX (Multimedia Programming Interface and Data Specifications 1.0), and not written', async () => {
    const file = plain();
    const view = viewOf(file);
    for (const at of [4, 16, 24, 28, 40]) view.setUint32(at, view.getUint32(at, true), false);
    for (const at of [20, 22, 32, 34]) view.setUint16(at, view.getUint16(at, true), false);
    file.set(bytesOfAscii('RIFX'));
    const { facts } = await readWav(memorySource(file));
    expect(facts).toMatchObject({ frames: 200, sampleRateHz: 48000, channels: 1, bitDepth: 16 });
    expect(await refusal(file)).not.toBe('written');
  });

  it('tells that it was cut short', async () => {
    const { facts } = await readWav(memorySource(plain().subarray(0, 300)));
    expect([facts.isCutShort, facts.frames]).toEqual([true, 128]);
  });
});

describe('an MP3 file', () => {
  it.each([
    ['zeros', new Uint8Array(9000)],
    ['text', bytesOfAscii('kiln '.repeat(40))],
  ])('is known behind junk: %s', async (_, junk) => {
    const file = concatBytes([junk, mp3Frames(20)]);
    expect(await containerOf(memorySource(file))).toBe('mp3');
    const { facts } = await readMp3(memorySource(file));
    expect([facts.sampleRateHz, facts.frames, facts.isLengthEstimated]).toEqual([48000, 20 * 1152, true]);
  });

  it('is not what only looks like a frame or two', async () => {
    const file = concatBytes([new Uint8Array(500), mp3Frames(2), new Uint8Array(2000).fill(7)]);
    expect(await containerOf(memorySource(file))).toBeUndefined();
  });

  it('tells that its last frame is not whole', async () => {
    const { facts, issues } = await readMp3(memorySource(mp3Frames(20).subarray(0, 19 * 384 + 100)));
    expect([facts.isCutShort, issues[0]?.code]).toEqual([true, 'CUT_SHORT']);
    expect((await readMp3(memorySource(mp3Frames(20)))).facts.isCutShort).toBeUndefined();
  });
});

describe('an Ogg file', () => {
  it('is read when audio begins on the page of its headers', async () => {
    const file = oggBytes('Vorbis', 4800);
    const first = parseOggPage(file, 0, 0);
    const second = parseOggPage(file, (first?.headerBytes ?? 0) + (first?.bodyBytes ?? 0), 0);
    if (!first || !second) throw new Error('it begins with two pages');
    const start = second.offset + second.headerBytes;
    const body = concatBytes([file.subarray(start, start + second.bodyBytes), new Uint8Array(40)]);
    const shared = oggPageBytes(second, Uint8Array.from([...second.lacing, 40]), body);
    const rest = file.subarray(start + second.bodyBytes);
    const bytes = concatBytes([file.subarray(0, second.offset), shared, rest]);
    const { facts, issues } = await readOgg(memorySource(bytes));
    expect([facts.frames, facts.audioOffset]).toEqual([4800, second.offset + shared.length - 40]);
    expect(issues.map(({ code }) => code)).toEqual(['HEADERS_SHARE_PAGE']);
    expect(await refusal(bytes)).toContain('headers and audio share a page');
  });

  it('tells that its last page is missing', async () => {
    const file = oggBytes('Opus', 4800);
    const whole = await readOgg(memorySource(file));
    const short = await readOgg(memorySource(file.subarray(0, -10)));
    expect([whole.facts.isCutShort, whole.issues]).toEqual([undefined, []]);
    expect([short.facts.isCutShort, short.issues[0]?.code]).toEqual([true, 'CUT_SHORT']);
  });
});

describe('a FLAC file that does not count its samples', () => {
  /** Frame headers after RFC 9639 §9.1 with a checksum computed bit by bit, as appendix A.1 prints them. */
  const header = (number: number[], blockCode: number, more: number[] = []) => {
    const bytes = [0xff, 0xf8, (blockCode << 4) | 9, 0x18, ...number, ...more];
    let crc = 0;
    for (const byte of bytes)
      for (let bit = 7; bit >= 0; bit -= 1) crc = ((crc << 1) ^ (((crc >> 7) ^ (byte >> bit)) & 1 ? 7 : 0)) & 0xff;
    return Uint8Array.from([...bytes, crc]);
  };
  const file = (last: Uint8Array) => {
    const bytes = flacBytes(0).slice();
    viewOf(bytes).setUint16(8, 4096);
    return concatBytes([bytes, header([0], 12), new Uint8Array(300).fill(3), last, new Uint8Array(90).fill(5)]);
  };

  it.each([
    ['a code', header([2], 12), 3 * 4096],
    ['eight bits', header([2], 6, [99]), 2 * 4096 + 100],
    ['sixteen bits, of a number of two bytes', header([0xc2, 0x81], 7, [0x01, 0x00]), 129 * 4096 + 257],
  ])('is as long as its last frame says, the block given by %s', async (_, last, frames) => {
    expect((await readFlac(memorySource(file(last)))).facts.frames).toBe(frames);
  });

  it('takes no header whose checksum is wrong', async () => {
    const wrong = header([9], 12);
    wrong[wrong.length - 1] = (wrong.at(-1) ?? 0) ^ 1;
    expect((await readFlac(memorySource(file(wrong)))).facts.frames).toBe(4096);
  });
});
