import { describe, expect, it } from '@jest/globals';
import { emptyRecord } from '../record/fields.ts';
import { bytesOfAscii, concatBytes, memorySource, readExactly, windowedSource } from './byte-source.ts';
import { containerOf, extensionIssue, rightExtension, sniffContainer } from './container.ts';
import { agrees, fieldsToWrite, textForPlace, valueFromText } from './field-places.ts';
import { cutAtWord, decodeText, fittedAscii, toAscii } from './text-encoding.ts';

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
    expect(fittedAscii('é'.repeat(40), 32)).toBe('e'.repeat(32));
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

  it('agree with a winner that they can only hold shortened', () => {
    const long = 'kiln '.repeat(80).trim();
    expect(agrees('bext description', fittedAscii(long, 256), long)).toBe(true);
    expect(agrees('bext description', 'another', long)).toBe(false);
    expect(agrees('INFO ICMT', fittedAscii(long, 256), long)).toBe(false);
    expect(agrees('ID3 TBPM', 97, 96.5)).toBe(true);
    expect(agrees('ID3 TDRC', '2024-05-13T10:11', '2024-05-13T10:11:12')).toBe(true);
    expect(agrees('ID3 TDRC', '2023', '2024-05-13')).toBe(false);
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

  it('are known behind an ID3 tag too', async () => {
    // ID3v2 size 0x0101 in seven-bit bytes is 129 (ID3v2.4 §6.2).
    const tag = concatBytes([bytesOfAscii('ID3\x04\0\0\0\0\x01\x01'), new Uint8Array(129)]);
    expect(await containerOf(memorySource(concatBytes([tag, bytesOfAscii('fLaC....')])))).toBe('flac');
    expect(await containerOf(memorySource(concatBytes([tag, bytesOfAscii('\xff\xfb\x90\x64')])))).toBe('mp3');
  });

  it('are told from an extension that belongs to another one', () => {
    expect(rightExtension('tone.aif', 'WAV')).toBe('.wav');
    expect(rightExtension('tone.BWF', 'WAV')).toBeUndefined();
    expect(rightExtension('tone.wav', 'AIFF-C')).toBe('.aif');
    expect(extensionIssue('tone.aif', 'WAV')).toMatchObject({ code: 'OTHER_EXTENSION' });
    expect(extensionIssue('tone.CAF', 'RF64')?.message).toContain('.caf');
    for (const [name, container] of [
      ['a.WAV', 'RF64'],
      ['a.aifc', 'AIFF'],
      ['a.opus', 'Ogg'],
      ['a', 'WAV'],
    ] as const)
      expect(extensionIssue(name, container)).toBeUndefined();
  });
});
