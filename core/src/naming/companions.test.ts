import { describe, expect, it } from '@jest/globals';
import { companionName, FolderNames } from './companions.ts';

const isAudio = (name: string): boolean => /\.(wav|flac)$/i.test(name);
const folder = (...names: string[]) => new FolderNames(names, isAudio);

describe('files that bear the name of an audio file', () => {
  it('are those with its base, or with its whole name, and another extension', () => {
    const names = folder(
      'take.wav',
      'Take.TXT',
      'take.wav.pdf',
      'take2.txt',
      'take.extra.txt',
      'other.wav',
      '.take.txt',
      'take',
    );
    expect(names.companionsOf('take.wav')).toEqual(['Take.TXT', 'take.wav.pdf']);
    expect(names.companionsOf('other.wav')).toEqual([]);
  });

  it('belong to neither of two audio files of one name, unless they bear the whole name of one', () => {
    const names = folder('take.wav', 'take.flac', 'take.txt', 'take.flac.txt');
    expect(names.companionsOf('take.wav')).toEqual([]);
    expect(names.companionsOf('take.flac')).toEqual(['take.flac.txt']);
  });

  it.each([
    ['take.txt', 'CERMBrk_Pot_ORV_CLAY.txt'],
    ['TAKE.TXT', 'CERMBrk_Pot_ORV_CLAY.TXT'],
    ['take.wav.pdf', 'CERMBrk_Pot_ORV_CLAY.wav.pdf'],
  ])('take its new name: %s', (companion, expected) => {
    expect(companionName(companion, 'take.wav', 'CERMBrk_Pot_ORV_CLAY.wav')).toBe(expected);
  });

  it('are found whatever the Unicode form of their names', () => {
    expect(folder('ku\u0308hl.wav', 'k\u00fchl.txt').companionsOf('ku\u0308hl.wav')).toEqual(['k\u00fchl.txt']);
    expect(folder('ku\u0308hl.wav').has('K\u00dcHL.WAV')).toBe(true);
  });
});
