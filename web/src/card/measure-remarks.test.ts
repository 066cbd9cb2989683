import { describe, expect, it } from '@jest/globals';
import type { SoundMeasures } from '@flagstone/contract/measures';
import { remarksOn } from './measure-remarks.ts';

const ordinary: SoundMeasures = {
  durationSeconds: 4,
  channelLayout: 'stereo',
  samplePeakDbfs: -6,
  truePeakDbtp: -5.9,
  rmsDbfs: -20,
  crestFactorDb: 14,
  noiseFloorDbfs: -60,
  dcOffset: 0.0001,
  clippedSamples: 0,
  leadingSilenceSeconds: 0.1,
  trailingSilenceSeconds: 0.2,
  correlation: 0.4,
  isDualMono: false,
  silentChannels: [],
  integratedLufs: -18,
  momentaryMaxLufs: -15,
  shortTermMaxLufs: -16,
  loudnessRangeLu: 4,
  spectrum: null,
  onsets: [],
  tempoBpm: null,
  key: null,
  form: 'single',
  weight: 3,
  activity: 2,
};

describe('remarks on measures', () => {
  it('says nothing of an ordinary sound', () => {
    expect(remarksOn(ordinary)).toEqual([]);
  });

  it('warns first, then notes', () => {
    const remarks = remarksOn({
      ...ordinary,
      clippedSamples: 14,
      truePeakDbtp: -0.3,
      silentChannels: [2],
      dcOffset: -0.02,
      trailingSilenceSeconds: 1.2,
    });
    expect(remarks.map(({ text }) => text)).toEqual([
      '14 samples clipped at full scale.',
      'Peaks at −0.3 dBTP: it may clip in a codec.',
      'The right channel is silent.',
      'DC offset of -2.0 % of full scale.',
      '1.20 s of silence at the end.',
    ]);
    expect(remarks.map(({ isWarning }) => isWarning)).toEqual([true, true, true, true, false]);
  });

  it('tells dual mono, channels out of phase, and digital silence alone', () => {
    expect(remarksOn({ ...ordinary, isDualMono: true, correlation: 1 })[0]?.text).toContain('mono in two channels');
    expect(remarksOn({ ...ordinary, correlation: -0.9 })[0]?.text).toContain('out of phase');
    expect(remarksOn({ ...ordinary, samplePeakDbfs: null, clippedSamples: 3 })).toHaveLength(1);
  });
});
