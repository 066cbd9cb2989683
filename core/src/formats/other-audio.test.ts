import { describe, expect, it } from '@jest/globals';
import { bytesOfAscii, concatBytes, memorySource } from './byte-source.ts';
import { isAudioName } from './container.ts';
import { otherAudioByName } from './other-audio.ts';
import { readAudioFile } from './read-audio-file.ts';

const never = (): never => {
  throw new Error('not asked');
};

describe('audio that is not taken up', () => {
  it.each([
    ['loom.wv', 'WavPack'],
    ['Weir/GATE.APE', 'Monkey’s Audio'],
    ['a.b.wma', 'Windows Media Audio'],
    ['geese.wav', undefined],
    ['notes.txt', undefined],
    ['wv', undefined],
  ])('is known by its name: %s', (name, kind) => {
    expect([otherAudioByName(name), kind !== undefined && isAudioName(name)]).toEqual([kind, false]);
  });

  it.each([
    ['WavPack', bytesOfAscii('wvpk\x20\0\0\0')],
    ['True Audio', bytesOfAscii('TTA1\x01\0')],
    ['AAC without a container', Uint8Array.of(0xff, 0xf1, 0x50, 0x80)],
    ['Windows Media Audio', Uint8Array.of(0x30, 0x26, 0xb2, 0x75, 0x8e, 0x66, 0xcf, 0x11, 0xa6, 0xd9)],
  ])('is named where a name promises other audio: %s', async (kind, head) => {
    const source = memorySource(concatBytes([head, new Uint8Array(200).fill(3)]));
    await expect(readAudioFile(source, never)).rejects.toMatchObject({
      code: 'FORMAT_NOT_SUPPORTED',
      message: `It is ${kind}, which Flagstone does not take up.`,
    });
  });

  it('is not what is no audio at all', async () => {
    const source = memorySource(bytesOfAscii('<html><p>Kiln plan</p></html>'));
    await expect(readAudioFile(source, never)).rejects.toMatchObject({ code: 'FORMAT_UNKNOWN' });
  });
});
