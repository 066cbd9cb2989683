import { describe, expect, it } from '@jest/globals';
import { mp3Frames } from '@flagstone/demo/container-files';
import { asciiOf, bytesOfAscii, concatBytes, memorySource } from '../byte-source.ts';
import { readMp3 } from '../mp3/mp3-reader.ts';
import { id3Texts, writeId3Tag } from './id3-fields.ts';
import {
  id3FrameBytes,
  id3TagBytes,
  id3TagSize,
  readId3Tag,
  readSynchsafe,
  synchsafeBytes,
  undoUnsynchronisation,
} from './id3-tag.ts';
import { id3v1Texts, readId3v1, writeId3v1 } from './id3v1.ts';

const tagOf = async (bytes: Uint8Array, loadAll = false) => {
  const tag = await readId3Tag(memorySource(bytes), 0, loadAll);
  if (!tag) throw new Error('there is a tag');
  return tag;
};
const textsOf = async (bytes: Uint8Array): Promise<Record<string, string>> =>
  Object.fromEntries([...id3Texts(await tagOf(bytes))].map(([key, { text }]) => [key, text]));
const frame = (id: string, text: string, encoding = '\0'): Uint8Array =>
  id3FrameBytes(3, id, bytesOfAscii(encoding + text));

describe('numbers of ID3', () => {
  it('are synchsafe as ID3v2.4 §6.2 says: 255 is 0x0000017f', () => {
    expect(Array.from(synchsafeBytes(255))).toEqual([0, 0, 1, 0x7f]);
    expect(readSynchsafe(Uint8Array.of(0, 0, 1, 0x7f), 0)).toBe(255);
    // ID3v2.4 §3.1: the largest is 28 bits, 256 MB.
    expect(readSynchsafe(Uint8Array.of(0x7f, 0x7f, 0x7f, 0x7f), 0)).toBe(2 ** 28 - 1);
    for (const value of [0, 127, 128, 16_383, 16_384, 2 ** 28 - 1])
      expect(readSynchsafe(synchsafeBytes(value), 0)).toBe(value);
  });

  it('of a tag count header and footer', () => {
    expect(id3TagSize(bytesOfAscii('ID3\x03\0\0\0\0\x02\x01'))).toBe(10 + 257);
    expect(id3TagSize(bytesOfAscii('ID3\x04\0\x10\0\0\0\x05'))).toBe(10 + 5 + 10);
    expect(id3TagSize(bytesOfAscii('ID3\x04\0\0\0\0\0\x80'))).toBeUndefined();
    expect(id3TagSize(bytesOfAscii('ID3\x09\0\0\0\0\0\0'))).toBeUndefined();
  });

  it('have unsynchronisation undone, ID3v2.4 §6.1', () => {
    expect(Array.from(undoUnsynchronisation(Uint8Array.of(0xff, 0, 0xe0, 0xff, 0, 0, 1)))).toEqual([
      0xff, 0xe0, 0xff, 0, 1,
    ]);
  });
});

describe('texts of an ID3 tag', () => {
  it('are read in each encoding, and what is labelled wrongly by the evidence', async () => {
    const utf16 = '\x01\xff\xfeM\0\xfc\0';
    const tag = id3TagBytes(
      3,
      [frame('TIT2', 'M\xfchle'), frame('TPE1', 'M\xc3\xbchle'), frame('TALB', utf16.slice(1), '\x01')],
      0,
    );
    const found = id3Texts(await tagOf(tag));
    expect([...found.values()].map(({ text, encoding }) => [text, encoding])).toEqual([
      ['Mühle', 'Latin-1'],
      ['Mühle', 'UTF-8, labelled Latin-1'],
      ['Mü', 'UTF-16, byte order mark'],
    ]);
    const v4 = id3TagBytes(
      4,
      [
        id3FrameBytes(4, 'TIT2', bytesOfAscii('\x03M\xc3\xbc\0two')),
        id3FrameBytes(4, 'TPE1', bytesOfAscii('\x02\0M\0\xfc')),
      ],
      0,
    );
    expect(await textsOf(v4)).toEqual({ TIT2: 'Mü; two', TPE1: 'Mü' });
  });

  it('are read of version 2.2 under the names of the later ones', async () => {
    const frames = [
      id3FrameBytes(2, 'TT2', bytesOfAscii('\0Weir')),
      id3FrameBytes(2, 'COM', bytesOfAscii('\0eng\0water')),
      id3FrameBytes(2, 'TXX', bytesOfAscii('\0catid\0WATRFall')),
    ];
    expect(await textsOf(id3TagBytes(2, frames, 4))).toEqual({ TIT2: 'Weir', COMM: 'water', 'TXXX:CATID': 'WATRFall' });
  });

  it('are found behind an extended header, and where the whole tag is unsynchronised', async () => {
    const plain = id3TagBytes(3, [frame('TIT2', 'Weir')], 0);
    const extended = concatBytes([plain.subarray(0, 10), bytesOfAscii('\0\0\0\x06\0\0\0\0\0\0'), plain.subarray(10)]);
    extended[5] = 0x40;
    extended[9] = (plain[9] ?? 0) + 10;
    expect(await textsOf(extended)).toEqual({ TIT2: 'Weir' });
    const unsynchronised = id3TagBytes(3, [frame('TIT2', '\xff\x00\xe0x'), frame('TALB', 'y')], 0);
    // The size in the frame's header is that before the zero was put in.
    unsynchronised[17] = 4;
    unsynchronised[5] = 0x80;
    expect(await textsOf(unsynchronised)).toEqual({ TIT2: 'ÿàx', TALB: 'y' });
  });

  it.each([3, 2] as const)(
    'are found where their sizes count the bytes of unsynchronisation, and kept by a write (2.%i)',
    async (version) => {
      const [title, album, own] = version === 3 ? ['TIT2', 'TALB', 'PRIV'] : ['TT2', 'TAL', 'UFI'];
      const raw = (id: string, text: string): Uint8Array => id3FrameBytes(version, id, bytesOfAscii(text));
      const tag = id3TagBytes(
        version,
        [raw(title, '\0\xff\0\xe0x'), raw(own, 'mill\0\xff\0\xfb\xff\0\0'), raw(album, '\0Weir')],
        20,
      );
      tag[5] = 0x80;
      const read = await tagOf(tag, true);
      expect([read.damaged, read.issues, read.frames.map(({ id }) => id)]).toEqual([false, [], [title, own, album]]);
      const written = writeId3Tag(read, new Map([['TALB', 'Lock']]), {}) ?? new Uint8Array(0);
      const again = await tagOf(written, true);
      const contentsOf = ({ frames }: typeof again, id: string) =>
        Array.from(frames.find((each) => each.id.startsWith(id.slice(0, 2)))?.contents ?? []);
      expect(contentsOf(again, own).slice(-7)).toEqual([...bytesOfAscii('mill\0\xff\xfb\xff\0')].slice(-7));
      expect(await textsOf(written)).toMatchObject({ TIT2: 'ÿàx', TALB: 'Lock' });
    },
  );

  it('are read of version 2.4 also where the sizes are plain numbers', async () => {
    const long = 'w'.repeat(200);
    const bytes = concatBytes([
      bytesOfAscii('TIT2\0\0\0\xc9\0\0\0'),
      bytesOfAscii(long),
      id3FrameBytes(4, 'TALB', bytesOfAscii('\0y')),
    ]);
    expect(await textsOf(id3TagBytes(4, [bytes], 0))).toEqual({ TIT2: long, TALB: 'y' });
  });

  it('put the date of older versions together', async () => {
    const date = (frames: Uint8Array[]) => textsOf(id3TagBytes(3, frames, 0)).then((texts) => texts['TDRC']);
    expect(await date([frame('TYER', '2024'), frame('TDAT', '1305'), frame('TIME', '1011')])).toBe('2024-05-13T10:11');
    expect(await date([frame('TYER', '2024'), frame('TDAT', '1305')])).toBe('2024-05-13');
    expect(await date([frame('TYER', '2024'), frame('TIME', '1011')])).toBe('2024');
  });
});

describe('a damaged ID3 tag', () => {
  it.each([
    ['claims more than the file has', concatBytes([id3TagBytes(3, [frame('TIT2', 'Weir')], 0).subarray(0, 18)])],
    ['holds a frame that claims more than the tag', id3TagBytes(3, [bytesOfAscii('TIT2\0\0\xff\xff\0\0\0x')], 0)],
    ['holds what is no frame', id3TagBytes(3, [frame('TIT2', 'a'), bytesOfAscii('t!t2\0\0\0\x02\0\0\0x')], 0)],
    ['is said to be 256 MB long', bytesOfAscii('ID3\x03\0\0\x7f\x7f\x7f\x7fTIT2')],
  ])('that %s gives what is there and an issue, and is not written', async (_, bytes) => {
    const tag = await tagOf(bytes);
    expect([tag.damaged, tag.issues[0]?.code]).toEqual([true, 'ID3_DAMAGED']);
  });

  it('does not have its compressed and encrypted frames unpacked, and keeps them', async () => {
    const bomb = id3FrameBytes(3, 'TIT2', bytesOfAscii('\xff\xff\xff\xffx'));
    bomb[9] = 0x80;
    const tag = await tagOf(id3TagBytes(3, [bomb], 0), true);
    expect(id3Texts(tag).size).toBe(0);
    expect(asciiOf(writeId3Tag(tag, new Map([['TALB', 'y']])) ?? new Uint8Array(0))).toContain(asciiOf(bomb));
  });
});

describe('writing an ID3 tag', () => {
  it('keeps frames that are not named byte for byte and in order, and replaces the first of a key', async () => {
    const kept = [frame('PRIV', 'owner\0\x01\x02'), frame('COMM', 'engMaker\0 0000')];
    const earlier = await tagOf(
      id3TagBytes(
        3,
        [kept[0] ?? frame('', ''), frame('TIT2', 'one'), frame('TIT2', 'two'), kept[1] ?? frame('', '')],
        0,
      ),
      true,
    );
    const written =
      writeId3Tag(
        earlier,
        new Map([
          ['TIT2', 'new'],
          ['COMM', 'text'],
        ]),
      ) ?? new Uint8Array(0);
    const { frames } = await tagOf(written, true);
    expect(frames.map(({ id }) => id)).toEqual(['PRIV', 'TIT2', 'COMM', 'COMM', 'TSSE']);
    for (const each of kept) expect(asciiOf(written)).toContain(asciiOf(each));
  });

  it('takes Latin-1 where it holds the text and nobody takes it for UTF-8, else UTF-16, and UTF-8 in version 2.4', async () => {
    const encodingOf = async (version: 3 | 4, text: string): Promise<number | undefined> => {
      const tag = await tagOf(writeId3Tag(undefined, new Map([['TIT2', text]]), { version }) ?? new Uint8Array(0));
      expect(id3Texts(tag).get('TIT2')?.text).toBe(text);
      return tag.frames[0]?.contents?.[0];
    };
    expect(await encodingOf(3, 'Mühle')).toBe(0);
    expect(await encodingOf(3, 'Ã¼')).toBe(1);
    expect(await encodingOf(3, '水車')).toBe(1);
    expect(await encodingOf(4, '水車')).toBe(3);
  });

  it('fills the bytes it had, and gets spare ones when it outgrows them', async () => {
    const texts = new Map([['TIT2', 'Weir']]);
    expect(writeId3Tag(undefined, texts, { sizeBytes: 500 })).toHaveLength(500);
    expect(writeId3Tag(undefined, texts, { sizeBytes: 20 })?.length).toBeGreaterThan(2000);
    expect(writeId3Tag(undefined, new Map([['TIT2', '']]))).toBeUndefined();
  });
});

describe('ID3v1', () => {
  it('is found at the end, and keeps track and genre when it is written', async () => {
    const tag = concatBytes([
      bytesOfAscii('TAG'),
      bytesOfAscii('Old title'.padEnd(30, '\0')),
      new Uint8Array(92),
      Uint8Array.of(0, 7, 12),
    ]);
    const file = concatBytes([mp3Frames(3), tag]);
    expect(await readId3v1(memorySource(file))).toEqual(tag);
    const written = writeId3v1(tag, new Map([['title', 'A title that is much longer than thirty characters']]));
    expect(id3v1Texts(written, 0).get('title')?.text).toBe('A title that is much longer');
    expect(Array.from(written.subarray(125))).toEqual([0, 7, 12]);
    expect((await readMp3(memorySource(file))).facts.audioBytes).toBe(3 * 384);
  });
});

describe('MP3', () => {
  it('tells its length from an Info header, without the encoder’s delay and padding', async () => {
    const frames = mp3Frames(11);
    // Behind 4 bytes of header and 32 of side information: flags 1 (frames), the count, an encoder's name, 21 bytes on 12 bits each of delay and padding.
    frames.set(bytesOfAscii('Info\0\0\0\x01\0\0\0\x0aEncoder 1'), 36);
    frames.set([0x24, 0x04, 0x80], 36 + 12 + 21);
    const { facts } = await readMp3(memorySource(frames));
    expect(facts).toMatchObject({
      codec: 'MPEG 1 Layer 3',
      sampleRateHz: 48000,
      channels: 2,
      encoderDelayFrames: 576,
      frames: 11_520 - 576 - 1152,
    });
  });

  it('counts constant frames by its bytes, and leaves APE and ID3v1 tags out', async () => {
    const ape = new Uint8Array(64);
    ape.set(bytesOfAscii('APETAGEX'), 32);
    ape[32 + 12] = 64;
    const v1 = concatBytes([bytesOfAscii('TAG'), new Uint8Array(125)]);
    const { facts } = await readMp3(memorySource(concatBytes([mp3Frames(10), ape, v1])));
    expect(facts).toMatchObject({ frames: 11_520, audioOffset: 0, audioBytes: 3840 });
  });

  it('needs two frames one after another, within reach', async () => {
    await expect(
      readMp3(memorySource(concatBytes([bytesOfAscii('\xff\xfb\x94\x64'), new Uint8Array(900)]))),
    ).rejects.toMatchObject({ code: 'FORMAT_DAMAGED' });
    const late = concatBytes([new Uint8Array(5000), mp3Frames(3)]);
    expect((await readMp3(memorySource(late))).facts.frames).toBe(3456);
  });
});

describe('fields that nobody asked for', () => {
  const tagged = async (frames: Uint8Array[], texts: Record<string, string>) => {
    const tag = await tagOf(id3TagBytes(3, frames, 10), true);
    return tagOf(writeId3Tag(tag, new Map(Object.entries(texts))) ?? new Uint8Array(0), true);
  };

  it('keep a date to the second, and a tempo to the hundredth, byte for byte', async () => {
    const before = [frame('TDRC', '2019-05-01T10:11:12'), frame('TBPM', '96.04')];
    const wishes = { TIT2: 'New', TDRC: '2019-05-01T10:11:12', TBPM: '96', 'TXXX:TEMPO': '96.04' };
    const { frames } = await tagged(before, wishes);
    expect(frames.slice(0, 2).map(({ raw }) => raw && Buffer.from(raw))).toEqual(
      before.map((each) => Buffer.from(each)),
    );
    expect(frames.map(({ id }) => id)).toEqual(['TDRC', 'TBPM', 'TIT2', 'TXXX', 'TSSE']);
  });

  it('stay when they are compressed; one that is written anew is not kept beside the new one', async () => {
    const compressed = frame('TIT2', 'xxxx');
    compressed[9] = 0x80;
    expect((await tagged([compressed], { TALB: 'Clay' })).frames.map(({ id }) => id)).toEqual(['TIT2', 'TALB', 'TSSE']);
    const { frames } = await tagged([compressed], { TIT2: 'New' });
    expect(frames.map(({ id }) => id)).toEqual(['TIT2', 'TSSE']);
    expect(id3Texts({ frames }).get('TIT2')?.text).toBe('New');
  });
});
