import { createHash } from 'node:crypto';
import { describe, expect, it } from '@jest/globals';
import { wavBytes } from '@flagstone/demo/wav-file';
import fc from 'fast-check';
import { fullAudioDigest, quickAudioDigest } from '../../audio/digest.ts';
import { FormatError } from '../../errors.ts';
import { tidyKeywords } from '../../record/edit.ts';
import { tidyText } from '../../text/tidy-text.ts';
import { emptyRecord, type SoundRecord } from '../../record/fields.ts';
import { BEXT_LAYOUT, parseBext } from './bext.ts';
import { asciiOf, bytesOfAscii, concatBytes, memorySource, viewOf } from '../byte-source.ts';
import { readRiffChunks, riffChunkBytes } from './riff-chunks.ts';
import { readWav } from './wav-reader.ts';
import { planWavWrite } from './wav-writer.ts';
import { applyPlan } from '../write-plan.ts';

const signal = Float32Array.from({ length: 1001 }, (_, index) => Math.sin(index / 7) * 0.5);
const shape = { rate: 48000, bits: 24 } as const;
const plain = wavBytes([signal], shape);

const sha256 = () => {
  const hash = createHash('sha256');
  return { update: (bytes: Uint8Array) => void hash.update(bytes), hex: () => hash.digest('hex') };
};

async function write(file: Uint8Array, record: Partial<SoundRecord>): Promise<Uint8Array> {
  const { plan } = await planWavWrite(memorySource(file), { ...emptyRecord(), ...record });
  return plan ? applyPlan(file, plan) : file;
}

async function digest(file: Uint8Array): Promise<string> {
  const source = memorySource(file);
  return fullAudioDigest(source, (await readWav(source)).facts, sha256());
}

describe('what a file says of its channels', () => {
  const four = [signal, signal, signal, signal];
  const factsOf = async (bytes: Uint8Array) => (await readWav(memorySource(bytes))).facts;

  it('is the names of its tracks in iXML, by their place in this file', async () => {
    const track = (inside: string): string => `<TRACK>${inside}</TRACK>`;
    const list = [
      track('<CHANNEL_INDEX>5</CHANNEL_INDEX><INTERLEAVE_INDEX>2</INTERLEAVE_INDEX><NAME>Boom &amp; pole</NAME>'),
      track('<CHANNEL_INDEX>4</CHANNEL_INDEX><FUNCTION>LAV</FUNCTION>'),
      track('<CHANNEL_INDEX>9</CHANNEL_INDEX><NAME>not in this file</NAME>'),
      track('<NAME>nowhere</NAME>'),
    ];
    const xml = bytesOfAscii(`<BWFXML><TRACK_LIST><TRACK_COUNT>4</TRACK_COUNT>${list.join('')}</TRACK_LIST></BWFXML>`);
    const facts = await factsOf(wavBytes(four, shape, {}, [riffChunkBytes('iXML', xml)]));
    expect(facts.trackNames).toEqual(['', 'Boom & pole', '', 'LAV']);
    expect((await factsOf(plain)).trackNames).toBeUndefined();
  });

  it('is that they are ambisonic, by the sub-format or by ASWG', async () => {
    const bytes = wavBytes(four, { ...shape, channelMask: 0 });
    const format = asciiOf(bytes).indexOf('fmt ') + 8;
    expect((await factsOf(bytes)).isAmbisonic).toBeUndefined();
    bytes.set([0, 0, 0x21, 0x07, 0xd3, 0x11, 0x86, 0x44, 0xc8, 0xc1, 0xca, 0, 0, 0], format + 26);
    expect((await factsOf(bytes)).isAmbisonic).toBe(true);
    const told = wavBytes(four, shape, { ixml: { 'ASWG/ambisonicFormat': 'B-Format' } });
    expect((await factsOf(told)).isAmbisonic).toBe(true);
  });
});

/** A source that counts the bytes it was asked for. */
function countingSource(bytes: Uint8Array) {
  const source = memorySource(bytes);
  const counting = {
    sizeBytes: source.sizeBytes,
    readBytes: 0,
    read: (offset: number, length: number) => {
      counting.readBytes += length;
      return source.read(offset, length);
    },
  };
  return counting;
}

async function chunkIds(file: Uint8Array): Promise<string[]> {
  return (await readRiffChunks(memorySource(file))).value.chunks.map((chunk) => chunk.id);
}

describe('reading a WAV file', () => {
  it('reads hand-laid bytes of 16-bit stereo', async () => {
    const bytes = concatBytes([
      bytesOfAscii('RIFF\x2c\0\0\0WAVE'),
      bytesOfAscii('fmt \x10\0\0\0\x01\0\x02\0\x44\xac\0\0\x10\xb1\x02\0\x04\0\x10\0'),
      bytesOfAscii('data\x08\0\0\0\x01\0\x02\0\x03\0\x04\0'),
    ]);
    const { facts, issues, record } = await readWav(memorySource(bytes));
    expect(facts).toMatchObject({
      container: 'WAV',
      codec: 'PCM',
      sampleRateHz: 44100,
      bitDepth: 16,
      channels: 2,
      frames: 2,
      audioOffset: 44,
      audioBytes: 8,
    });
    expect(issues).toEqual([]);
    expect(record).toEqual({});
  });

  it.each([
    [{ rate: 192000, bits: 32, float: true }, 'IEEE float'],
    [{ rate: 8000, bits: 8 }, 'PCM'],
    [{ rate: 96000, bits: 24, channelMask: 0x3f }, 'PCM'],
  ] as const)('reads %j', async (stored, codec) => {
    const { facts } = await readWav(memorySource(wavBytes([signal, signal], stored)));
    expect(facts).toMatchObject({ codec, sampleRateHz: stored.rate, bitDepth: stored.bits, channels: 2, frames: 1001 });
  });

  it('takes the most trusted place when places disagree and lists every place', async () => {
    const tags = {
      info: { INAM: 'from INFO', ICMT: 'comment' },
      bext: { description: 'from bext' },
      ixml: { 'ASWG/fxName': 'from ASWG' },
    };
    const { record, places } = await readWav(memorySource(wavBytes([signal], shape, tags)));
    expect(record).toEqual({ fxName: 'from ASWG', description: 'comment' });
    expect(places.map(({ field, place, value }) => [field, place, value])).toEqual([
      ['fxName', 'iXML ASWG/fxName', 'from ASWG'],
      ['fxName', 'INFO INAM', 'from INFO'],
      ['description', 'INFO ICMT', 'comment'],
      ['description', 'bext description', 'from bext'],
    ]);
  });

  it('takes text that is no UTF-8 for Windows-1252', async () => {
    const info = riffChunkBytes(
      'LIST',
      concatBytes([bytesOfAscii('INFO'), riffChunkBytes('INAM', bytesOfAscii('M\xfchle\0'))]),
    );
    const { record } = await readWav(memorySource(wavBytes([signal], shape, {}, [info])));
    expect(record.fxName).toBe('Mühle');
  });

  it('finds chunks behind the audio without reading the audio', async () => {
    const file = wavBytes([signal], shape, {}, [
      riffChunkBytes('iXML', new TextEncoder().encode('<BWFXML><ASWG><fxName>behind</fxName></ASWG></BWFXML>')),
    ]);
    const counting = countingSource(file);
    expect((await readWav(counting)).record.fxName).toBe('behind');
    expect(counting.readBytes).toBeLessThan(300);
  });

  it('reads the sizes of an RF64 file from its ds64 chunk (EBU Tech 3306)', async () => {
    const data = plain.slice(44);
    const ds64 = new Uint8Array(28);
    viewOf(ds64).setBigUint64(8, BigInt(data.length - 1), true);
    const head = bytesOfAscii('RF64\xff\xff\xff\xffWAVE');
    const dataHead = bytesOfAscii('data\xff\xff\xff\xff');
    const file = concatBytes([head, riffChunkBytes('ds64', ds64), plain.subarray(12, 36), dataHead, data]);
    const { facts, issues } = await readWav(memorySource(file));
    expect(facts).toMatchObject({ container: 'RF64', frames: 1001 });
    expect(issues).toEqual([]);
    const written = await write(file, { fxName: 'Long' });
    expect((await readWav(memorySource(written))).record.fxName).toBe('Long');
    expect(Number(viewOf(written).getBigUint64(20, true))).toBe(written.length - 8);
    expect(await digest(written)).toBe(await digest(file));
  });
});

describe('reading a damaged WAV file', () => {
  it('reads what is there of a chunk that claims more, with an issue, and refuses to write it', async () => {
    const lying = plain.slice();
    viewOf(lying).setUint32(40, 900_000_000, true);
    const { facts, issues } = await readWav(memorySource(lying));
    expect(facts.frames).toBe(1001);
    expect(issues).toMatchObject([{ code: 'CHUNK_BEYOND_END', offsetBytes: 36 }, { code: 'PARTIAL_FRAME' }]);
    await expect(planWavWrite(memorySource(lying), emptyRecord())).rejects.toMatchObject({ code: 'FORMAT_DAMAGED' });
  });

  it('gives a result or a FormatError for every truncation and for random bytes anywhere, and never hangs', async () => {
    const file = wavBytes([signal.subarray(0, 20)], shape, {
      info: { INAM: 'a' },
      bext: { description: 'b' },
      ixml: { NOTE: 'c' },
    });
    const attempt = async (bytes: Uint8Array): Promise<void> => {
      try {
        await readWav(memorySource(bytes));
      } catch (error) {
        expect(error).toBeInstanceOf(FormatError);
      }
    };
    for (let length = 0; length < file.length; length += 1) await attempt(file.subarray(0, length));
    await fc.assert(
      fc.asyncProperty(
        fc.array(fc.tuple(fc.nat(file.length - 1), fc.nat(255)), { minLength: 1, maxLength: 12 }),
        async (flips) => {
          const mutated = file.slice();
          for (const [at, value] of flips) mutated[at] = value;
          await attempt(mutated);
        },
      ),
      { numRuns: 3000 },
    );
  });

  it.each([
    ['no channels', 22, 0],
    ['a rate of 0 Hz', 24, 0],
    ['17 bits of float', 34, 99],
    ['65,535 channels', 22, 0xffff],
  ])('refuses a format chunk with %s', async (_, offset, value) => {
    const file = plain.slice();
    viewOf(file).setUint16(offset, value, true);
    if (offset === 24) viewOf(file).setUint32(24, 0, true);
    await expect(readWav(memorySource(file))).rejects.toMatchObject({ code: 'FORMAT_DAMAGED' });
  });
});

describe('writing a WAV file', () => {
  it('keeps unknown chunks, INFO items and iXML elements byte for byte and in order', async () => {
    const cue = riffChunkBytes('cue ', Uint8Array.from([1, 2, 3]));
    const info = concatBytes([
      bytesOfAscii('INFO'),
      riffChunkBytes('ISFT', bytesOfAscii('Recorder 3\0')),
      riffChunkBytes('XYZZ', Uint8Array.from([255, 0, 7])),
    ]);
    const ixml =
      '<?xml version="1.0"?>\n<BWFXML><!-- kept --><SPEED><MASTER_SPEED>24/1</MASTER_SPEED></SPEED><ASWG><odd attr="1">x &amp; y</odd></ASWG></BWFXML>';
    const file = wavBytes([signal], shape, {}, [
      cue,
      riffChunkBytes('LIST', info),
      riffChunkBytes('zzzz', bytesOfAscii('tail')),
      riffChunkBytes('iXML', new TextEncoder().encode(ixml)),
    ]);
    const written = await write(file, { fxName: 'Pot & Pan', library: 'Clay <1>' });
    expect(await chunkIds(written)).toEqual(['fmt ', 'data', 'cue ', 'LIST', 'zzzz', 'iXML']);
    const text = asciiOf(written);
    for (const kept of [
      asciiOf(cue),
      'ISFT\x0b\0\0\0Recorder 3',
      'XYZZ\x03\0\0\0\xff\0\x07\0',
      '<!-- kept --><SPEED><MASTER_SPEED>24/1</MASTER_SPEED></SPEED>',
      '<odd attr="1">x &amp; y</odd>',
    ])
      expect(text).toContain(kept);
    expect((await readWav(memorySource(written))).record).toMatchObject({ fxName: 'Pot & Pan', library: 'Clay <1>' });
  });

  it('lays bext out as EBU Tech 3285 says and cuts a long text at a word, the full text standing in ICMT', async () => {
    const description = 'kiln '.repeat(80).trim();
    const written = await write(plain, { description, creator: 'Orla Vénn', recordedOn: '2024-05-13T10:11:12' });
    const { value } = await readRiffChunks(memorySource(written));
    const bext = value.chunks.find((chunk) => chunk.id === 'bext');
    const contents = written.subarray(bext?.dataOffset, (bext?.dataOffset ?? 0) + (bext?.sizeBytes ?? 0));
    // Field offsets as printed in EBU Tech 3285 v2, section 2.3.
    expect(BEXT_LAYOUT).toMatchObject({
      originator: [256, 32],
      originationDate: [320, 10],
      originationTime: [330, 8],
      timeReference: [338, 8],
      version: [346, 2],
      umid: [348, 64],
      codingHistory: [602, 0],
    });
    expect(asciiOf(contents.subarray(256, 265))).toBe('Orla Venn');
    expect(asciiOf(contents.subarray(320, 338))).toBe('2024-05-1310:11:12');
    const { description: short, codingHistory } = parseBext(contents);
    expect(short).toMatch(/^(kiln )+kiln$/);
    expect(short.length).toBeLessThanOrEqual(256);
    expect(codingHistory).toBe('A=PCM,F=48000,W=24,M=mono,T=Flagstone\r\n');
    expect((await readWav(memorySource(written))).record).toMatchObject({
      description,
      creator: 'Orla Vénn',
      recordedOn: '2024-05-13T10:11:12',
    });
  });

  it('keeps UMID and TimeReference of an earlier bext', async () => {
    const earlier = new Uint8Array(602).fill(0x41, 348, 412);
    viewOf(earlier).setBigUint64(338, 172_800_000n, true);
    const file = concatBytes([plain.subarray(0, 12), riffChunkBytes('bext', earlier), plain.subarray(12)]);
    viewOf(file).setUint32(4, file.length - 8, true);
    const written = await write(file, { description: 'new' });
    expect((await readWav(memorySource(written))).facts.timeReference).toBe(172_800_000);
    expect(asciiOf(written)).toContain('A'.repeat(64));
  });

  it('has nothing to do when the file carries the record in every place, and unifies places that disagree', async () => {
    const tags = { info: { INAM: 'old' }, ixml: { 'ASWG/fxName': 'new' } };
    const file = wavBytes([signal], shape, tags);
    const written = await write(file, { fxName: 'new' });
    expect((await readWav(memorySource(written))).places.map((place) => place.value)).toEqual(['new', 'new']);
    expect((await planWavWrite(memorySource(written), { ...emptyRecord(), fxName: 'new' })).plan).toBeUndefined();
  });

  it('takes a field out of every place when the record empties it', async () => {
    const file = await write(plain, { fxName: 'Gone Soon', keywords: ['a', 'b'], description: 'text' });
    const written = await write(file, {});
    expect((await readWav(memorySource(written))).record).toEqual({});
    expect(asciiOf(written)).not.toContain('Gone Soon');
  });

  it('refuses to guess at an iXML chunk that is not well-formed', async () => {
    const file = wavBytes([signal], shape, {}, [riffChunkBytes('iXML', bytesOfAscii('<BWFXML><ASWG></BWFXML>'))]);
    await expect(planWavWrite(memorySource(file), { ...emptyRecord(), fxName: 'x' })).rejects.toMatchObject({
      code: 'FORMAT_DAMAGED',
    });
  });
});

describe('a record', () => {
  it('holds only tidy text and keywords', () => {
    expect(tidyText(' a\r\nb\u0000c ', true)).toBe('a\nb c');
    expect(tidyKeywords(['Clay; wheel', 'clay', ' kiln  door ', ''])).toEqual(['Clay', 'wheel', 'kiln door']);
  });
});

describe('the audio digest', () => {
  it('is the same for the same samples whatever stands around them, and differs for other samples, rates and depths', async () => {
    const tagged = wavBytes([signal], shape, { info: { INAM: 'x' } }, [riffChunkBytes('zzzz', bytesOfAscii('odd'))]);
    expect(await digest(tagged)).toBe(await digest(plain));
    const other = signal.slice();
    other[500] = 0.1;
    for (const file of [
      wavBytes([other], shape),
      wavBytes([signal], { ...shape, rate: 44100 }),
      wavBytes([signal], { ...shape, bits: 16 }),
    ]) {
      expect(await digest(file)).not.toBe(await digest(plain));
    }
  });

  it('turns big-endian samples round, so that AIFF and WAV with the same samples agree', async () => {
    const { facts } = await readWav(memorySource(plain));
    const turned = plain.slice();
    for (let at = 44; at + 3 <= 44 + facts.audioBytes; at += 3)
      turned.set([plain[at + 2] ?? 0, plain[at + 1] ?? 0, plain[at] ?? 0], at);
    expect(await fullAudioDigest(memorySource(turned), { ...facts, bigEndian: true }, sha256())).toBe(
      await digest(plain),
    );
  });

  it('reads at most 64 kB for the quick form', async () => {
    const long = wavBytes([Float32Array.from({ length: 400_000 }, (_, index) => Math.sin(index))], shape);
    const { facts } = await readWav(memorySource(long));
    const counting = countingSource(long);
    await quickAudioDigest(counting, facts, sha256());
    expect(counting.readBytes).toBeLessThanOrEqual(64 * 1024);
  });
});
