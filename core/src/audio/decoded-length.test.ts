import { describe, expect, it } from '@jest/globals';
import type { AudioFacts } from '../formats/audio-file.ts';
import { decodedLength } from './decoded-length.ts';

const facts = (more: Partial<AudioFacts>): AudioFacts => ({
  container: 'FLAC',
  codec: 'FLAC',
  sampleFormat: 'coded',
  sampleRateHz: 48_000,
  bitDepth: 16,
  channels: 1,
  frames: 96_000,
  durationSeconds: 2,
  audioOffset: 100,
  audioBytes: 1000,
  frameBytes: 0,
  bigEndian: false,
  ...more,
});

describe('the length that decoding finds', () => {
  it.each([
    ['a FLAC file that lacks a single sample', {}, 95_999, { frames: 95_999, isCutShort: true }],
    ['a whole FLAC file', {}, 96_000, { frames: 96_000, isCutShort: false }],
    [
      'an MP3 whose decoder trims the delay otherwise',
      { container: 'MP3' },
      94_848,
      { frames: 96_000, isCutShort: false },
    ],
    ['an MP3 of which half is missing', { container: 'MP3' }, 48_000, { frames: 48_000, isCutShort: true }],
    [
      'a variable MP3 whose length was a guess',
      { container: 'MP3', isLengthEstimated: true },
      48_000,
      { frames: 48_000, isCutShort: false },
    ],
    ['a file whose header does not say', { frames: 0 }, 48_000, { frames: 48_000, isCutShort: false }],
    [
      'a file whose headers told already',
      { container: 'Ogg', isCutShort: true },
      96_000,
      { frames: 96_000, isCutShort: true },
    ],
  ] as const)('of %s', (_, more, decoded, expected) => {
    expect(decodedLength(facts(more), decoded)).toEqual(expected);
  });
});
