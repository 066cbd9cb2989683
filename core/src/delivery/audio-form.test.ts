import { describe, expect, it } from '@jest/globals';
import { bytesOfForm, deliveredForm, type DeliveredForm, type FormFacts } from './audio-form.ts';
import { bagInfo, manifestLine } from './bag.ts';
import { PLAIN_PROFILE, SHIPPED_PROFILES, type DeliveredAudio } from './profile.ts';

const wav: FormFacts = {
  container: 'WAV',
  sampleFormat: 'integer',
  sampleRateHz: 96_000,
  bitDepth: 24,
  channels: 2,
  frames: 96_000,
};
const asIs = PLAIN_PROFILE.audio;
const made = (form: DeliveredForm): Extract<DeliveredForm, { kind: 'made' }> => {
  if (form.kind !== 'made') throw new Error('the file stays as it is');
  return form;
};
const formOf = (facts: Partial<FormFacts>, wanted: Partial<DeliveredAudio>, isWorked = false): DeliveredForm =>
  deliveredForm({ ...wav, ...facts }, { ...asIs, ...wanted }, isWorked);

describe('what a sound is delivered as', () => {
  it('is its file as it is where that has the wanted form', () => {
    expect(formOf({}, {}).kind).toBe('same');
    expect(formOf({}, { container: 'WAV', sampleRateHz: 96_000, depth: '24', channels: 'stereo' }).kind).toBe('same');
    expect(formOf({ container: 'BW64' }, { container: 'WAV' }).kind).toBe('same');
    expect(formOf({ container: 'MP3', sampleFormat: 'coded', bitDepth: 0 }, { container: 'MP3' }).kind).toBe('same');
    expect(formOf({ channels: 1 }, { channels: 'split' }).kind).toBe('same');
  });

  it('is made where rate, depth, channels, container or level differ, or where samples are made anyway', () => {
    for (const wanted of [
      { sampleRateHz: 48_000 },
      { depth: '16' },
      { channels: 'mono' },
      { channels: 'split' },
      { container: 'FLAC' },
      { level: { kind: 'peak', dbfs: -1 } },
    ] satisfies Partial<DeliveredAudio>[])
      expect(formOf({}, wanted).kind).toBe('made');
    expect(made(formOf({}, {}, true))).toMatchObject({ container: 'WAV', bitDepth: 24, sampleRateHz: 96_000 });
    expect(formOf({ container: 'RIFX' }, { container: 'WAV' }).kind).toBe('made');
  });

  it.each<[string, Partial<FormFacts>, Partial<DeliveredAudio>, object]>([
    ['24 bits as 24', {}, { container: 'FLAC' }, { bitDepth: 24, isRounded: false }],
    ['24 bits as 16', {}, { depth: '16' }, { bitDepth: 16, isRounded: true }],
    ['16 bits as 24', { bitDepth: 16 }, { depth: '24' }, { bitDepth: 24, isRounded: false }],
    ['floats as 24', { sampleFormat: 'float', bitDepth: 32 }, { depth: '24' }, { bitDepth: 24, isRounded: true }],
    [
      'floats in AIFF',
      { sampleFormat: 'float', bitDepth: 32 },
      { container: 'AIFF' },
      { bitDepth: 24, isRounded: true },
    ],
    [
      'floats at another rate',
      { sampleFormat: 'float', bitDepth: 32 },
      { sampleRateHz: 48_000 },
      { sampleFormat: 'float', bitDepth: 32, isRounded: false },
    ],
    ['32 bits at another rate', { bitDepth: 32 }, { sampleRateHz: 48_000 }, { sampleFormat: 'float', bitDepth: 32 }],
    ['8 bits at another rate', { bitDepth: 8 }, { sampleRateHz: 48_000 }, { bitDepth: 16, isRounded: true }],
    [
      'what was coded, as WAV',
      { container: 'MP3', sampleFormat: 'coded', bitDepth: 0 },
      { container: 'WAV' },
      { bitDepth: 24, isRounded: true },
    ],
  ])('stores %s', (_, facts, wanted, stored) => {
    expect(made(formOf(facts, wanted))).toMatchObject(stored);
  });

  it('names the files of channels by their speakers, or by numbers where nobody says', () => {
    const suffixes = (facts: Partial<FormFacts>): string[] =>
      made(formOf(facts, { channels: 'split' })).files.map(({ suffix }) => suffix);
    expect(suffixes({ channels: 2 })).toEqual(['.L', '.R']);
    expect(suffixes({ channels: 6 })).toEqual(['.L', '.R', '.C', '.LFE', '.Ls', '.Rs']);
    expect(suffixes({ channels: 4, isAmbisonic: true })).toEqual(['.1', '.2', '.3', '.4']);
    expect(made(formOf({ channels: 3 }, { channels: 'split' })).files[1]?.matrix).toEqual([[0, 1, 0]]);
  });

  it('tells what cannot be as it is wanted', () => {
    const told = (facts: Partial<FormFacts>, wanted: Partial<DeliveredAudio>): string[] =>
      formOf(facts, wanted).problems.map(({ code, severity }) => `${severity} ${code}`);
    expect(told({ channels: 4, isAmbisonic: true }, { channels: 'mono' })).toEqual(['notice LAYOUT_UNKNOWN']);
    expect(told({ channels: 6 }, { container: 'MP3' })).toEqual(['notice RATE_CHANGED', 'error CHANNELS_TOO_MANY']);
    expect(told({ container: 'M4A', sampleFormat: 'coded', bitDepth: 0 }, { sampleRateHz: 48_000 })).toEqual([
      'notice CONTAINER_CHANGED',
    ]);
    expect(
      told(
        { container: 'MP3', sampleFormat: 'coded', bitDepth: 0, sampleRateHz: 44_100 },
        { level: { kind: 'peak', dbfs: -1 } },
      ),
    ).toEqual(['notice CODED_ANEW']);
    expect(told({ frames: 96_000 * 3600 * 3 }, { container: 'AIFF' })).toEqual(['error OUTGROWS_CONTAINER']);
  });

  it('takes as many bytes as its samples have', () => {
    const form = made(formOf({}, { sampleRateHz: 48_000, depth: '16', channels: 'split' }));
    expect(bytesOfForm(form, wav)).toBe(2 * 48_000 * 2);
  });

  it('is 48 kHz mono WAV for a game, and a bag of the files as they are for an archive', () => {
    expect(made(deliveredForm(wav, SHIPPED_PROFILES.game.audio, false))).toMatchObject({
      container: 'WAV',
      sampleRateHz: 48_000,
      bitDepth: 16,
      files: [{ suffix: '', matrix: [[0.5, 0.5]], channels: 1 }],
    });
    expect(deliveredForm(wav, SHIPPED_PROFILES.archive.audio, false).kind).toBe('same');
  });
});

describe('the texts of a bag (RFC 8493)', () => {
  it('encode line ends and the percent sign in paths, and nothing else', () => {
    expect(manifestLine('ab12', 'data/100% kiln\r\n.wav')).toBe('ab12  data/100%25 kiln%0D%0A.wav\n');
  });

  it('are one line for each value that is there', () => {
    expect(bagInfo({ 'Source-Organization': 'Lock Seven\nSound', 'Contact-Name': ' ' })).toBe(
      'Source-Organization: Lock Seven Sound\n',
    );
  });
});
