import { describe, expect, it } from '@jest/globals';
import { emptyRecord } from '../record/fields.ts';
import { fittedToBext, parseBext, writeBext } from './bext.ts';
import { asciiOf, bytesOfAscii, concatBytes, memorySource, readExactly, windowedSource } from './byte-source.ts';
import { audioRange, sniffContainer } from './container.ts';
import { decodeIxml, parseIxml, writeIxml } from './ixml.ts';
import { parseInfoList, writeInfoList } from './riff-info.ts';
import { riffChunkBytes } from './riff.ts';
import { cutAtWord, decodeText, toAscii } from './text-encoding.ts';
import { bextDate, fieldsToWrite, recordedOnFromBext, textForPlace, valueFromText } from './wav-fields.ts';

describe('text of unknown encoding', () => {
  it.each([
    ['UTF-8', [0x4d, 0xc3, 0xbc, 0], 'Mü'],
    ['Windows-1252', [0x4d, 0xfc, 0x93], 'Mü“'],
    ['UTF-16 little-endian with its mark', [0xff, 0xfe, 0x4d, 0, 0xfc, 0], 'Mü'],
    ['UTF-16 big-endian with its mark', [0xfe, 0xff, 0, 0x4d, 0, 0xfc, 0, 0, 0, 0x41], 'Mü'],
    ['nothing before a NUL', [0, 0x41], ''],
  ])('is read as %s', (_, bytes, text) => {
    expect(decodeText(Uint8Array.from(bytes))).toBe(text);
  });

  it('becomes ASCII with accents dropped and the rest as question marks', () => {
    expect(toAscii('“Müller’s” Øre — naïve 日本')).toBe('"Muller\'s" ?re - naive ??');
    expect(toAscii('straße øre æ')).toBe('strasse ore ae');
  });

  it('is cut at a word where one ends in the last third, else in the middle', () => {
    expect(cutAtWord('one two three', 9)).toBe('one two');
    expect(cutAtWord('a bcdefghijkl', 9)).toBe('a bcdefgh');
    expect(cutAtWord('short', 9)).toBe('short');
    expect(fittedToBext('é'.repeat(40), 32)).toBe('e'.repeat(32));
  });
});

describe('sources of bytes', () => {
  it('reads ahead in windows, so that small reads become few', async () => {
    let reads = 0;
    const bytes = Uint8Array.from({ length: 1000 }, (_, index) => index % 256);
    const inner = memorySource(bytes);
    const source = windowedSource(
      {
        sizeBytes: 1000,
        read: (offset, length) => {
          reads += 1;
          return inner.read(offset, length);
        },
      },
      100,
    );
    for (let at = 0; at < 100; at += 10) expect(await source.read(at, 10)).toEqual(bytes.subarray(at, at + 10));
    expect(reads).toBe(1);
    expect(await source.read(500, 300)).toEqual(bytes.subarray(500, 800));
    expect((await source.read(990, 50)).length).toBe(10);
    expect(reads).toBe(3);
  });

  it('says where a file ended too early', async () => {
    await expect(readExactly(memorySource(new Uint8Array(5)), 'RIFF', 4, 8)).rejects.toMatchObject({
      code: 'FORMAT_DAMAGED',
      offsetBytes: 4,
      message: 'The file ends at byte 5, in the middle of its RIFF header.',
    });
  });
});

describe('INFO lists', () => {
  const list = concatBytes([
    bytesOfAscii('INFO'),
    riffChunkBytes('INAM', bytesOfAscii('one\0')),
    riffChunkBytes('ICMT', bytesOfAscii('odd')),
  ]);

  it('are read item by item with their offsets, and only when they are INFO', () => {
    expect(parseInfoList(list, 100)?.value.map(({ id, text, offsetBytes }) => [id, text, offsetBytes])).toEqual([
      ['INAM', 'one', 104],
      ['ICMT', 'odd', 116],
    ]);
    expect(parseInfoList(bytesOfAscii('adtl....'), 0)).toBeUndefined();
  });

  it('survive an item that claims more than is there', () => {
    const lying = concatBytes([bytesOfAscii('INFOINAM\xff\xff\0\0'), bytesOfAscii('ab')]);
    expect(parseInfoList(lying, 0)).toMatchObject({
      value: [{ text: 'ab' }],
      issues: [{ code: 'INFO_BEYOND_END', offsetBytes: 4 }],
    });
  });

  it('go altogether when nothing is left in them', () => {
    const items = parseInfoList(list, 0)?.value ?? [];
    expect(
      writeInfoList(
        items,
        new Map([
          ['INAM', ''],
          ['ICMT', ''],
        ]),
      ),
    ).toBeUndefined();
    expect(asciiOf(writeInfoList(items, new Map([['INAM', 'two']])) ?? new Uint8Array(0))).toBe(
      'LIST\x1c\0\0\0INFOINAM\x04\0\0\0two\0ICMT\x03\0\0\0odd\0',
    );
  });
});

describe('the broadcast extension', () => {
  it('is read even when it is shorter than its fixed part', () => {
    expect(parseBext(bytesOfAscii('kiln'))).toMatchObject({
      description: 'kiln',
      originator: '',
      timeReference: 0,
      version: 0,
    });
  });

  it('keeps its coding history and sets only what is asked for', () => {
    const earlier = concatBytes([new Uint8Array(602).fill(0x20, 256, 288), bytesOfAscii('A=PCM\r\n')]);
    const written = parseBext(writeBext(earlier, { description: 'new' }));
    expect(written).toMatchObject({ description: 'new', codingHistory: 'A=PCM\r\n' });
    expect(writeBext(earlier, {})).toEqual(earlier);
  });

  it.each([
    ['2024-05-13', '10:11:12', '2024-05-13T10:11:12'],
    ['2024:05:13', '10-11-12', '2024-05-13T10:11:12'],
    ['2024_05_13', '', '2024-05-13'],
    ['0000-00-00', '00:00:00', undefined],
    ['', '10:11:12', undefined],
    ['13 May', '', undefined],
  ])('dates %p %p as %p', (originationDate, originationTime, expected) => {
    expect(recordedOnFromBext({ ...parseBext(new Uint8Array(0)), originationDate, originationTime })).toBe(expected);
  });

  it('holds only full dates', () => {
    expect(bextDate('2024-05-13T10:11:12')).toEqual({ originationDate: '2024-05-13', originationTime: '10:11:12' });
    expect(bextDate('spring 1999')).toEqual({ originationDate: '', originationTime: '' });
  });
});

describe('iXML', () => {
  it('is read in UTF-16 with its mark, without the NULs of padding, and written in UTF-8', () => {
    const text = '<?xml version="1.0" encoding="UTF-16"?><BWFXML><NOTE>Mühle</NOTE></BWFXML>';
    const utf16 = concatBytes([
      Uint8Array.of(0xff, 0xfe),
      Uint8Array.from([...text].flatMap((character) => [character.charCodeAt(0) & 255, character.charCodeAt(0) >> 8])),
    ]);
    expect(parseIxml(utf16, 0).value.texts.get('NOTE')).toBe('Mühle');
    const written = writeIxml(utf16, new Map([['ASWG/library', 'Ton']]));
    expect(decodeIxml(written)).toContain('encoding="UTF-8"');
    expect(parseIxml(concatBytes([written, new Uint8Array(9)]), 0)).toMatchObject({ issues: [] });
    expect(parseIxml(written, 0).value.texts.get('NOTE')).toBe('Mühle');
  });

  it('that is not well-formed gives no texts and an issue with its place', () => {
    expect(parseIxml(bytesOfAscii('<BWFXML><NOTE>'), 77)).toMatchObject({
      issues: [{ code: 'IXML_INVALID', offsetBytes: 77 }],
    });
  });
});

describe('places of fields', () => {
  it('take a genre for a category only when it is a pair', () => {
    expect(valueFromText('category', 'INFO IGNR', 'doors/wood')).toBe('DOORS');
    expect(valueFromText('subCategory', 'INFO IGNR', 'doors/wood')).toBe('WOOD');
    expect(valueFromText('category', 'INFO IGNR', 'Rock')).toBeUndefined();
  });

  it('give numbers, lists and texts as the field needs them', () => {
    expect(valueFromText('tempo', 'iXML ASWG/tempo', ' 96.5 ')).toBe(96.5);
    expect(valueFromText('tempo', 'iXML ASWG/tempo', 'fast')).toBeUndefined();
    expect(valueFromText('keywords', 'INFO IKEY', 'a; b,c')).toEqual(['a', 'b', 'c']);
    expect(textForPlace({ ...emptyRecord(), keywords: ['a', 'b'] }, 'keywords', 'INFO IKEY')).toBe('a; b');
    expect(fieldsToWrite({ ...emptyRecord(), fxName: 'x' }, { notes: 'old' })).toEqual(['fxName', 'notes']);
  });
});

describe('containers by their content', () => {
  it.each([
    ['wave', 'RIFF....WAVE'],
    ['wave', 'BW64....WAVE'],
    ['aiff', 'FORM....AIFC'],
    ['flac', 'fLaC'],
    ['ogg', 'OggS'],
    ['caf', 'caff'],
    ['m4a', '\0\0\0\x20ftypM4A '],
    ['mp3', 'ID3\x04'],
    ['mp3', '\xff\xfb\x90\x64'],
    [undefined, 'RIFF....AVI '],
    [undefined, '\xff\xff\xff\xff'],
    [undefined, 'words'],
  ])('are known as %s', (kind, head) => {
    expect(sniffContainer(bytesOfAscii(head))).toBe(kind);
  });

  it('have their audio found without tags', async () => {
    // RFC 9639 §8.1: the second block header has the last-block flag.
    const flac = concatBytes([
      bytesOfAscii('fLaC\x00\0\0\x02ab'),
      bytesOfAscii('\x84\0\0\x01c'),
      bytesOfAscii('FRAMES'),
    ]);
    expect(await audioRange('flac', memorySource(flac))).toEqual({ offset: 15, length: 6 });
    // ID3v2 size 0x0101 in seven-bit bytes is 129 (ID3v2.4 §6.2); ID3v1 is the last 128 bytes.
    const mp3 = concatBytes([
      bytesOfAscii('ID3\x04\0\0\0\0\x01\x01'),
      new Uint8Array(129),
      bytesOfAscii('FRAMES'),
      bytesOfAscii('TAG'),
      new Uint8Array(125),
    ]);
    expect(await audioRange('mp3', memorySource(mp3))).toEqual({ offset: 139, length: 6 });
    const aiff = concatBytes([bytesOfAscii('FORM\0\0\0\x26AIFFNAME\0\0\0\x01x\0SSND\0\0\0\x0c\0\0\0\0\0\0\0\0abcd')]);
    expect(await audioRange('aiff', memorySource(aiff))).toEqual({ offset: 38, length: 4 });
    await expect(audioRange('aiff', memorySource(bytesOfAscii('FORM\0\0\0\x04AIFF')))).rejects.toMatchObject({
      code: 'FORMAT_DAMAGED',
    });
  });
});
