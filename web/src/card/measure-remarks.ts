import type { SoundMeasures } from '@flagstone/contract/measures';
import { counted, formatLevel, formatSeconds } from '../ui/format.ts';

/** Something worth saying of a sound; warnings are what somebody may want to mend before the sound is used. */
export interface Remark {
  text: string;
  isWarning: boolean;
}

/** Above this a codec or a converter may clip (EBU R 128 §g: -1 dBTP). */
const HIGH_PEAK_DBTP = -1;
const LOW_PEAK_DBFS = -30;
const OFFSET = 0.005;
const LONG_SILENCE_SECONDS = 0.5;

/** What a librarian would say of the measures, the warnings first. */
export function remarksOn(measures: SoundMeasures, isCutShort = false): Remark[] {
  const warnings: string[] = isCutShort
    ? [`Cut short: the file ends after ${formatSeconds(measures.durationSeconds)}, before its audio does.`]
    : [];
  const notes: string[] = [];
  const peak = measures.samplePeakDbfs;
  if (peak === null) {
    warnings.push('Digital silence: every sample is 0.');
    return warnings.map((text) => ({ text, isWarning: true }));
  }
  if (measures.clippedSamples > 0)
    warnings.push(`${counted(measures.clippedSamples, 'sample')} clipped at full scale.`);
  if ((measures.truePeakDbtp ?? -99) > HIGH_PEAK_DBTP)
    warnings.push(`Peaks at ${formatLevel(measures.truePeakDbtp, 'dBTP')}: it may clip in a codec.`);
  if (peak < LOW_PEAK_DBFS) warnings.push(`Very low: its highest sample is at ${formatLevel(peak, 'dBFS')}.`);
  for (const channel of measures.silentChannels) warnings.push(`${channelName(measures, channel)} is silent.`);
  if (Math.abs(measures.dcOffset) > OFFSET)
    warnings.push(`DC offset of ${(measures.dcOffset * 100).toFixed(1)} % of full scale.`);
  if (measures.isDualMono) notes.push('Both channels carry the same: mono in two channels.');
  else if (measures.correlation !== null && measures.correlation < -0.5)
    warnings.push('The channels are out of phase: little is left in mono.');
  if (measures.leadingSilenceSeconds > LONG_SILENCE_SECONDS)
    notes.push(`${formatSeconds(measures.leadingSilenceSeconds)} of silence at the start.`);
  if (measures.trailingSilenceSeconds > LONG_SILENCE_SECONDS)
    notes.push(`${formatSeconds(measures.trailingSilenceSeconds)} of silence at the end.`);
  return [...warnings.map((text) => ({ text, isWarning: true })), ...notes.map((text) => ({ text, isWarning: false }))];
}

function channelName({ channelLayout }: SoundMeasures, channel: number): string {
  if (channelLayout === 'stereo') return channel === 1 ? 'The left channel' : 'The right channel';
  return `Channel ${channel}`;
}
