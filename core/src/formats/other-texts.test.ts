import { describe, expect, it } from '@jest/globals';
import { mp3Frames } from '@flagstone/demo/container-files';
import { wavBytes, type WavTags } from '@flagstone/demo/wav-file';
import { bytesOfAscii, concatBytes, memorySource } from './byte-source.ts';
import type { FoundTexts } from './field-places.ts';
import { id3FrameBytes, id3TagBytes } from './id3/id3-tag.ts';
import { otherTexts } from './other-texts.ts';
import { readAudioFile } from './read-audio-file.ts';

const read = async (bytes: Uint8Array) => {
  const file = await readAudioFile(memorySource(bytes), () => Promise.reject(new Error('no M4A here')));
  return file.otherTexts;
};
const wav = (tags: WavTags) => wavBytes([new Float32Array(100)], { rate: 48000, bits: 16 }, tags);
const said = (...texts: [key: string, text: string][]): FoundTexts => {
  return { INFO: new Map(texts.map(([key, text]) => [key, { text, offsetBytes: 0 }])) };
};

describe('texts of a file that no field takes', () => {
  it('are told by place, in whichever system they stand', async () => {
    const tags: WavTags = {
      info: { INAM: 'Pot', ISFT: 'Yard Recorder 3', IGNR: 'Odd genre' },
      ixml: { 'ASWG/fxName': 'Pot', 'USER/Roll': '14' },
    };
    expect(await read(wav(tags))).toEqual({
      'INFO ISFT': 'Yard Recorder 3',
      'INFO IGNR': 'Odd genre',
      'iXML USER/Roll': '14',
    });
    const frames = [
      id3FrameBytes(3, 'TIT2', bytesOfAscii('\0Pot')),
      id3FrameBytes(3, 'TSSE', bytesOfAscii('\0Coder 1')),
      id3FrameBytes(3, 'TXXX', bytesOfAscii('\0Roll\x0014')),
    ];
    expect(await read(concatBytes([id3TagBytes(3, frames, 0), mp3Frames(4)]))).toEqual({
      'ID3 TSSE': 'Coder 1',
      'ID3 TXXX:ROLL': '14',
    });
  });

  it('are what a database can hold', () => {
    const hurting = said(['__proto__', 'a\0b\ud800 c'], ['EMPTY', ' \0 '], ['DOTS', '...'], ['K\0EY', 'x']);
    const texts = otherTexts(hurting, []);
    expect(Object.entries(texts)).toEqual([
      ['INFO __proto__', 'a b\ufffd c'],
      ['INFO K EY', 'x'],
    ]);
    // PostgreSQL takes neither NUL nor half a character.
    expect(JSON.stringify(texts)).not.toMatch(/\\u0000|\\ud8/i);
  });

  it('are bounded in number and length, and no pictures', () => {
    const many = said(...Array.from({ length: 5000 }, (_, at) => [`K${at}`, 'x '.repeat(10_000)] as [string, string]));
    const texts = Object.values(otherTexts(many, []));
    expect(texts).toHaveLength(60);
    expect(Math.max(...texts.map((text) => text.length))).toBeLessThanOrEqual(500);
    expect(otherTexts(said(['PICTURE', 'iVBORw0KGgo'.repeat(500)]), [])).toEqual({});
    const [long] = Object.keys(otherTexts(said(['K'.repeat(9999), 'x']), []));
    expect(long?.length).toBeLessThan(120);
  });
});
