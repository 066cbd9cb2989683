import { describe, expect, it } from '@jest/globals';
import { asciiOf, bytesOfAscii, concatBytes } from '../byte-source.ts';
import { bextDate, parseBext, recordedOnFromBext, writeBext } from './bext.ts';
import { decodeIxml, parseIxml, writeIxml } from './ixml.ts';
import { riffChunkBytes } from './riff-chunks.ts';
import { parseInfoList, writeInfoList } from './riff-info.ts';
import { xmlDetails } from './wav-chunk-kinds.ts';

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

  it('is read in one pass however many NULs stand in it, and however many elements', () => {
    const nuls = concatBytes([
      bytesOfAscii('<BWFXML><NOTE>a</NOTE></BWFXML>'),
      new Uint8Array(4_000_000),
      bytesOfAscii('x'),
    ]);
    expect(decodeIxml(nuls)).toHaveLength(nuls.length);
    expect(decodeIxml(nuls.subarray(0, -1))).toBe('<BWFXML><NOTE>a</NOTE></BWFXML>');
    const many = bytesOfAscii(`<BWFXML>${'<NOTE/>'.repeat(100_000)}</BWFXML>`);
    expect(xmlDetails(many)).toHaveLength(100_000);
  });

  it('that is not well-formed gives no texts and an issue with its place', () => {
    expect(parseIxml(bytesOfAscii('<BWFXML><NOTE>'), 77)).toMatchObject({
      issues: [{ code: 'IXML_INVALID', offsetBytes: 77 }],
    });
  });
});
