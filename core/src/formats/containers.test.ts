import { describe, expect, it } from '@jest/globals';
import { aiffBytes, extendedBytes, flacBytes, oggBytes } from '@flagstone/demo/container-files';
import { wavBytes } from '@flagstone/demo/wav-file';
import { emptyRecord, type SoundRecord } from '../record/fields.ts';
import { aiffChunkBytes, readAiffChunks } from './aiff/aiff-chunks.ts';
import { readExtended } from './aiff/common-chunk.ts';
import { readAiff } from './aiff/aiff-reader.ts';
import { asciiOf, bytesOfAscii, concatBytes, memorySource, viewOf, type ByteSource } from './byte-source.ts';
import { readCaf } from './caf/caf-reader.ts';
import { FLAC_BLOCK, readFlacBlocks } from './flac/flac-blocks.ts';
import { readFlac } from './flac/flac-reader.ts';
import { id3FrameBytes, id3TagBytes } from './id3/id3-tag.ts';
import { readMp4Boxes } from './mp4-boxes.ts';
import { oggChecksum, oggPageBytes, parseOggPage } from './ogg/ogg-pages.ts';
import { readOgg } from './ogg/ogg-reader.ts';
import { planWrite } from './plan-write.ts';
import { readRiffChunks, riffChunkBytes } from './wav/riff-chunks.ts';
import { readWav } from './wav/wav-reader.ts';
import { parseVorbisComment, vorbisTexts, writeVorbisComment } from './vorbis-comment.ts';
import { applyPlan } from './write-plan.ts';

const signal = Float32Array.from({ length: 200 }, (_, index) => Math.sin(index / 7));
const shape = { rate: 48000, bits: 16 } as const;

async function write(file: Uint8Array, record: Partial<SoundRecord>): Promise<Uint8Array> {
  const { plan } = await planWrite(memorySource(file), { ...emptyRecord(), ...record });
  return plan ? applyPlan(file, plan) : file;
}
describe('a WAV file that outgrows 4 GB', () => {
  /** A file of any length: real bytes in front, silence behind. */
  const longFile = (front: Uint8Array, sizeBytes: number): ByteSource => ({
    sizeBytes,
    read: (offset, length) => {
      const bytes = new Uint8Array(Math.max(0, Math.min(length, sizeBytes - offset)));
      if (offset < front.length) bytes.set(front.subarray(offset, offset + bytes.length));
      return Promise.resolve(bytes);
    },
  });
  const DATA_BYTES = 0xffffffff - 100 - 3;

  it.each([
    ['gets a ds64 chunk', []],
    ['turns the chunk that was reserved for it into ds64', [riffChunkBytes('JUNK', new Uint8Array(28))]],
  ])('becomes RF64 as EBU Tech 3306 says: it %s', async (_, before) => {
    const header = wavBytes([signal], shape).subarray(0, 44);
    const front = concatBytes([header.subarray(0, 12), ...before, header.subarray(12)]);
    viewOf(front).setUint32(front.length - 4, DATA_BYTES, true);
    const { plan } = await planWrite(longFile(front, front.length + DATA_BYTES), {
      ...emptyRecord(),
      description: 'weir '.repeat(100),
    });
    if (!plan) throw new Error('there is something to write');
    const [head] = plan.segments;
    if (head?.kind !== 'bytes') throw new Error('it begins with new bytes');
    const bytes = applyPlan(front, {
      ...plan,
      segments: plan.segments.filter((segment) => segment.kind === 'bytes' || segment.offset < front.length),
    });
    expect(asciiOf(bytes.subarray(0, 16))).toBe('RF64\xff\xff\xff\xffWAVEds64');
    const view = viewOf(bytes);
    // ds64 at byte 12: contents from byte 20, riffSize, dataSize, sampleCount (EBU Tech 3306 §3.5).
    expect(Number(view.getBigUint64(20, true))).toBe(plan.sizeBytes - 8);
    expect(Number(view.getBigUint64(28, true))).toBe(DATA_BYTES);
    expect(Number(view.getBigUint64(36, true))).toBe(DATA_BYTES / 2);
    expect(asciiOf(bytes).match(/ds64|JUNK/g)).toEqual(['ds64', 'JUNK']);
    // Read back at its full length, from its new header.
    const upToAudio = bytes.subarray(0, plan.audioOffset);
    const { facts, issues, record } = await readWav(longFile(upToAudio, plan.sizeBytes));
    expect(facts).toMatchObject({ container: 'RF64', audioOffset: plan.audioOffset, audioBytes: DATA_BYTES });
    expect([issues, record.description]).toEqual([[], 'weir '.repeat(100).trim()]);
  });

  it('reads as fast as a short one: the bytes that are read do not depend on its length', async () => {
    const header = wavBytes([signal], shape).subarray(0, 44);
    const counted = async (dataBytes: number): Promise<number> => {
      const front = header.slice();
      viewOf(front).setUint32(40, dataBytes, true);
      const source = longFile(front, 44 + dataBytes);
      let total = 0;
      await readWav({ ...source, read: (offset, length) => ((total += length), source.read(offset, length)) });
      return total;
    };
    expect(await counted(0xfffffff0 - 44)).toBe(await counted(1000));
  });
});

describe('WAV', () => {
  it('has the second of two INFO lists no longer contradict the first, and keeps what nobody knows in it', async () => {
    const list = (...items: Uint8Array[]) => riffChunkBytes('LIST', concatBytes([bytesOfAscii('INFO'), ...items]));
    const file = wavBytes([signal], shape, {}, [
      list(riffChunkBytes('INAM', bytesOfAscii('one\0'))),
      list(riffChunkBytes('INAM', bytesOfAscii('other\0')), riffChunkBytes('XYZZ', bytesOfAscii('kept'))),
    ]);
    const written = await write(file, { fxName: 'Pot' });
    const text = asciiOf(written);
    expect(text.match(/INAM/g)).toHaveLength(1);
    expect(text).toContain('XYZZ\x04\0\0\0kept');
    expect((await readWav(memorySource(written))).record.fxName).toBe('Pot');
  });

  it('keeps ID3 and XMP chunks to the record where they are there, and everything else in them', async () => {
    const xmp =
      '<?xpacket begin=""?><x:xmpmeta xmlns:x="adobe:ns:meta/"><rdf:RDF><rdf:Description><dc:title><rdf:Alt><rdf:li xml:lang="x-default">Old &amp; worn</rdf:li></rdf:Alt></dc:title><xmp:Rating>3</xmp:Rating></rdf:Description></rdf:RDF></x:xmpmeta><?xpacket end="w"?>';
    const tag = id3TagBytes(
      3,
      [id3FrameBytes(3, 'TIT2', bytesOfAscii('\0Other')), id3FrameBytes(3, 'PRIV', bytesOfAscii('x\0y'))],
      60,
    );
    const file = wavBytes([signal], shape, {}, [
      riffChunkBytes('_PMX', bytesOfAscii(xmp)),
      riffChunkBytes('id3 ', tag),
    ]);
    const before = await readWav(memorySource(file));
    expect(before.places.map(({ place, value }) => [place, value])).toEqual([
      ['ID3 TIT2', 'Other'],
      ['XMP dc:title', 'Old & worn'],
    ]);
    expect(before.disagreeing).toEqual(['fxName']);
    const written = await write(file, { fxName: 'Pot < Pan' });
    const { places, disagreeing } = await readWav(memorySource(written));
    expect(new Set(places.map(({ value }) => value))).toEqual(new Set(['Pot < Pan']));
    expect(disagreeing).toEqual([]);
    expect(asciiOf(written)).toContain(
      'xml:lang="x-default">Pot &lt; Pan</rdf:li></rdf:Alt></dc:title><xmp:Rating>3</xmp:Rating>',
    );
    expect(asciiOf(written)).toContain('x\0y');
  });

  it('refuses to write beside a metadata chunk that is too large to be one', async () => {
    const file = wavBytes([signal], shape, {}, [riffChunkBytes('LIST', new Uint8Array(17 * 1024 * 1024))]);
    expect((await readWav(memorySource(file))).issues).toMatchObject([{ code: 'CHUNK_TOO_LARGE' }]);
    await expect(write(file, { fxName: 'x' })).rejects.toMatchObject({ code: 'FORMAT_DAMAGED' });
  });

  it('takes room from filler chunks and gives it back, without moving the audio', async () => {
    const file = wavBytes([signal], shape);
    const filler = concatBytes([file.subarray(0, 36), riffChunkBytes('FLLR', new Uint8Array(4000)), file.subarray(36)]);
    viewOf(filler).setUint32(4, filler.length - 8, true);
    const { facts } = await readWav(memorySource(filler));
    const written = await write(filler, { fxName: 'Pot', notes: 'n'.repeat(500) });
    expect((await readWav(memorySource(written))).facts.audioOffset).toBe(facts.audioOffset);
    expect(written).toHaveLength(filler.length);
    const { value } = await readRiffChunks(memorySource(written));
    expect(value.chunks.map(({ id }) => id)).toEqual(['fmt ', 'LIST', 'iXML', 'JUNK', 'data']);
  });
});

describe('AIFF', () => {
  it('has its rate as an 80-bit number: 44100 is 400E AC44 0000 0000 0000 (AIFF 1.3, worked by hand)', () => {
    const bytes = Uint8Array.of(0x40, 0x0e, 0xac, 0x44, 0, 0, 0, 0, 0, 0);
    expect(readExtended(viewOf(bytes), 0)).toBe(44100);
    expect(Array.from(extendedBytes(44100))).toEqual(Array.from(bytes));
    expect(readExtended(viewOf(extendedBytes(96000)), 0)).toBe(96000);
  });

  it('reads its text chunks and its ID3 chunk, the latter first', async () => {
    const file = aiffBytes([signal], shape, {
      before: [aiffChunkBytes('NAME', bytesOfAscii('Wheel'))],
      behind: [aiffChunkBytes('ID3 ', id3TagBytes(3, [id3FrameBytes(3, 'TIT2', bytesOfAscii('\0Mill wheel'))], 0))],
    });
    const { record, disagreeing, facts } = await readAiff(memorySource(file));
    expect(record).toEqual({ fxName: 'Mill wheel' });
    expect(disagreeing).toEqual(['fxName']);
    expect(facts).toMatchObject({ container: 'AIFF', frames: 200, bitDepth: 16, bigEndian: true });
  });

  it('keeps unknown chunks and puts what no longer fits behind the audio', async () => {
    const file = aiffBytes([signal], shape, {
      before: [aiffChunkBytes('NAME', bytesOfAscii('Wheel')), aiffChunkBytes('APPL', bytesOfAscii('stocabc'))],
    });
    const written = await write(file, { fxName: 'A longer name', description: 'text' });
    const { value } = await readAiffChunks(memorySource(written));
    expect(value.chunks.map(({ id }) => id)).toEqual(['COMM', 'APPL', 'SSND', 'NAME', 'ANNO', 'ID3 ']);
    expect(viewOf(written).getUint32(4)).toBe(written.length - 8);
    expect(asciiOf(written)).toContain('APPL\0\0\0\x07stocabc\0');
  });

  it('keeps the first of two ID3 chunks first, since that is the one that counts', async () => {
    const chunk = (title: string) =>
      aiffChunkBytes('ID3 ', id3TagBytes(3, [id3FrameBytes(3, 'TIT2', bytesOfAscii(`\0${title}`))], 0));
    const file = aiffBytes([signal], shape, { before: [chunk('first'), chunk('second')] });
    const written = await write(file, { fxName: 'A title that is longer' });
    expect((await readAiff(memorySource(written))).record.fxName).toBe('A title that is longer');
    expect(asciiOf(written)).toContain('second');
  });

  it('tells when COMM and SSND do not agree, and reads what is there', async () => {
    const file = aiffBytes([signal], shape);
    viewOf(file).setUint32(22, 5000);
    const { facts, issues } = await readAiff(memorySource(file));
    expect([facts.frames, issues[0]?.code]).toEqual([200, 'FRAMES_DIFFER']);
    await expect(readAiff(memorySource(bytesOfAscii('FORM\0\0\0\x04AIFF')))).rejects.toMatchObject({
      code: 'FORMAT_DAMAGED',
    });
  });
});

describe('FLAC', () => {
  it('has STREAMINFO read bit by bit, RFC 9639 §8.2, and its frames start behind the last block', async () => {
    const { facts } = await readFlac(memorySource(flacBytes(900)));
    expect(facts).toMatchObject({
      sampleRateHz: 48000,
      bitDepth: 16,
      channels: 1,
      frames: 900,
      audioOffset: 42,
      audioBytes: 900,
      decodedMd5: 'ab'.repeat(16),
    });
    // The first example of RFC 9639, Appendix D.1 (from memory): 44100 Hz, 2 channels, 16 bits, 1 sample.
    const example = Uint8Array.from(
      '664c6143 80000022 1000 1000 00000f 00000f 0ac442f0 00000001 3e84b41807dc6903075 86a3dad1a2e0f fff86918000 0bf0358fd031 2a8'
        .replaceAll(' ', '')
        .slice(0, 84)
        .match(/../g) ?? [],
      (hex) => Number.parseInt(hex, 16),
    );
    expect((await readFlac(memorySource(example))).facts).toMatchObject({
      sampleRateHz: 44100,
      channels: 2,
      bitDepth: 16,
      frames: 1,
    });
  });

  it('keeps all other blocks in order, the last one flagged, and pads', async () => {
    const file = flacBytes(300, [
      [FLAC_BLOCK.application, bytesOfAscii('riffabcd')],
      [FLAC_BLOCK.padding, new Uint8Array(40)],
      [FLAC_BLOCK.seekTable, new Uint8Array(18)],
    ]);
    const written = await write(file, { fxName: 'Pot' });
    const { value } = await readFlacBlocks(memorySource(written));
    expect(value.blocks.map(({ type }) => type)).toEqual([0, 2, 3, 4, 1]);
    expect(asciiOf(written.subarray(value.framesOffset))).toBe(asciiOf(file.subarray(file.length - 300)));
  });

  it('is read behind an ID3 tag that stands before it, with an issue', async () => {
    const file = concatBytes([id3TagBytes(3, [id3FrameBytes(3, 'TALB', bytesOfAscii('\0Clay'))], 5), flacBytes(300)]);
    const { record, issues, facts } = await readFlac(memorySource(file));
    expect([record, issues[0]?.code, facts.audioBytes]).toEqual([{ library: 'Clay' }, 'ID3_BEFORE_FLAC', 300]);
    const written = await write(file, { library: 'Clay', fxName: 'Pot' });
    expect((await readFlac(memorySource(written))).record).toEqual({ library: 'Clay', fxName: 'Pot' });
  });

  it('that ends among its blocks is damaged', async () => {
    await expect(readFlac(memorySource(flacBytes(0).subarray(0, 30)))).rejects.toMatchObject({
      code: 'FORMAT_DAMAGED',
    });
    await expect(readFlac(memorySource(bytesOfAscii('fLaC\x84\0\0\0')))).rejects.toMatchObject({
      code: 'FORMAT_DAMAGED',
    });
  });
});

describe('Vorbis comments', () => {
  const raw = (text: string): Uint8Array => concatBytes([Uint8Array.of(text.length, 0, 0, 0), bytesOfAscii(text)]);
  const header = (...entries: string[]): Uint8Array =>
    concatBytes([raw('maker'), Uint8Array.of(entries.length, 0, 0, 0), ...entries.map(raw)]);

  it('are read whatever the case of their keys, several of one key joined, and kept when not named', () => {
    const { value } = parseVorbisComment(header('title=Pot', 'ARTIST=A', 'Artist=B', 'odd', 'X-Y=z'), 0);
    expect([...vorbisTexts(value)].map(([key, { text }]) => [key, text])).toEqual([
      ['TITLE', 'Pot'],
      ['ARTIST', 'A; B'],
      ['X-Y', 'z'],
    ]);
    const written = writeVorbisComment(
      value,
      new Map([
        ['TITLE', 'Pan'],
        ['ARTIST', 'A; B'],
        ['ALBUM', 'New'],
      ]),
    );
    expect(asciiOf(written)).toBe(asciiOf(header('TITLE=Pan', 'ARTIST=A', 'Artist=B', 'odd', 'X-Y=z', 'ALBUM=New')));
    const emptied = writeVorbisComment(value, new Map([['ARTIST', '']]));
    expect(asciiOf(emptied)).toBe(asciiOf(header('title=Pot', 'odd', 'X-Y=z')));
  });

  it('that claim more than is there end with an issue', () => {
    const { value, issues } = parseVorbisComment(header('title=Pot', 'x=y').subarray(0, 28), 50);
    expect(value.entries).toHaveLength(1);
    expect(issues).toMatchObject([{ code: 'COMMENT_BEYOND_END' }]);
    expect(parseVorbisComment(Uint8Array.of(0xff, 0xff, 0xff, 0x7f), 0).issues).toHaveLength(1);
  });
});

describe('Ogg', () => {
  it('checks pages by the polynomial of RFC 3533 §6: a page of nothing at all', () => {
    // Worked by the definition: the CRC of one byte of 1 is the polynomial itself.
    expect(oggChecksum(Uint8Array.of(1))).toBe(0x04c11db7);
    const page = oggPageBytes(
      { flags: 2, granule: undefined, serial: 5, sequence: 6 },
      Uint8Array.of(3),
      bytesOfAscii('abc'),
    );
    expect(parseOggPage(page, 0, 100)).toMatchObject({
      flags: 2,
      granule: undefined,
      serial: 5,
      sequence: 6,
      offset: 100,
      bodyBytes: 3,
    });
  });

  it('tells the length of Opus at 48 kHz without the pre-skip, RFC 7845 §4.5', async () => {
    expect((await readOgg(memorySource(oggBytes('Opus', 4800)))).facts).toMatchObject({
      codec: 'Opus',
      sampleRateHz: 48000,
      frames: 4800,
    });
  });

  it('leaves every page of audio as it is, numbers and all, and refuses comments that do not fit its header pages', async () => {
    const file = oggBytes('Vorbis', 4800);
    const { facts } = await readOgg(memorySource(file));
    const written = await write(file, { description: 'd'.repeat(5000) });
    const now = (await readOgg(memorySource(written))).facts;
    expect(asciiOf(written.subarray(now.audioOffset))).toBe(asciiOf(file.subarray(facts.audioOffset)));
    await expect(write(file, { description: 'd'.repeat(70_000) })).rejects.toMatchObject({
      code: 'OUTGROWS_CONTAINER',
    });
  });

  it('keeps what stands behind the comments of Opus where RFC 7845 §5.2 says that it is to be kept', async () => {
    const file = oggBytes('Opus', 4800);
    const page = parseOggPage(file, 47, 0);
    expect(page?.sequence).toBe(1);
    const packet = concatBytes([
      file.subarray(47 + (page?.headerBytes ?? 0), 47 + (page?.headerBytes ?? 0) + (page?.bodyBytes ?? 0)),
      bytesOfAscii('\x01keep me'),
    ]);
    const rebuilt = concatBytes([
      file.subarray(0, 47),
      oggPageBytes({ flags: 0, granule: 0, serial: 7, sequence: 1 }, Uint8Array.of(packet.length), packet),
      file.subarray(47 + (page?.headerBytes ?? 0) + (page?.bodyBytes ?? 0)),
    ]);
    const written = await write(rebuilt, { fxName: 'Gear' });
    expect(asciiOf(written)).toContain('\x01keep me');
    expect((await readOgg(memorySource(written))).record).toEqual({ fxName: 'Gear' });
  });

  it('of another codec, or with streams side by side, is told and not guessed at', async () => {
    const other = oggPageBytes(
      { flags: 2, granule: 0, serial: 1, sequence: 0 },
      Uint8Array.of(8),
      bytesOfAscii('Speex   '),
    );
    await expect(readOgg(memorySource(other))).rejects.toMatchObject({ code: 'FORMAT_NOT_SUPPORTED' });
    const file = oggBytes('Opus', 480);
    const second = oggPageBytes({ flags: 2, granule: 0, serial: 8, sequence: 0 }, Uint8Array.of(1), Uint8Array.of(0));
    const mixed = concatBytes([file.subarray(0, 47), second, file.subarray(47)]);
    await expect(readOgg(memorySource(mixed))).rejects.toMatchObject({ code: 'FORMAT_NOT_SUPPORTED' });
  });
});

describe('containers that are only read', () => {
  it('say so when they are to be written', async () => {
    await expect(planWrite(memorySource(bytesOfAscii('caff\0\x01\0\0')), emptyRecord())).rejects.toMatchObject({
      code: 'FORMAT_NOT_WRITABLE',
    });
    await expect(readCaf(memorySource(bytesOfAscii('caff\0\x01\0\0')))).rejects.toMatchObject({
      code: 'FORMAT_DAMAGED',
    });
  });

  it('are found box by box, long sizes and open ends too', async () => {
    const boxes = concatBytes([
      bytesOfAscii('\0\0\0\x0cftypM4A '),
      bytesOfAscii('\0\0\0\x01mdat\0\0\0\0\0\0\0\x14abcd'),
      bytesOfAscii('\0\0\0\0moovxyz'),
    ]);
    expect(
      (await readMp4Boxes(memorySource(boxes))).map(({ type, dataOffset, spanBytes }) => [type, dataOffset, spanBytes]),
    ).toEqual([
      ['ftyp', 8, 12],
      ['mdat', 28, 20],
      ['moov', 40, 11],
    ]);
    await expect(readMp4Boxes(memorySource(bytesOfAscii('\0\0\0\x02ftyp')))).rejects.toMatchObject({
      code: 'FORMAT_DAMAGED',
    });
  });
});
