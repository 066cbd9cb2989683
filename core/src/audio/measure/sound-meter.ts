import { channelLayout } from '../channel-layout.ts';
import { FingerprintMeter } from '../fingerprint/fingerprint-meter.ts';
import type { Fingerprint } from '../fingerprint/fingerprint.ts';
import { PeakGatherer, type PeakLevel } from '../peaks.ts';
import { characterOf, type Character } from './character.ts';
import { EnergyEnvelope, noiseFloorDbfs } from './energy-envelope.ts';
import { featureVector } from './feature-vector.ts';
import { KeyMeter } from './key-meter.ts';
import { decibels, LevelMeter, type Levels } from './level-meter.ts';
import { LoudnessMeter, type Loudness } from './loudness-meter.ts';
import { findOnsets, type Onset } from './onsets.ts';
import { SpectralMeter, type Spread } from './spectral-meter.ts';
import { FEWEST_BEATS, findTempo } from './tempo.ts';
import { TruePeakMeter } from './true-peak-meter.ts';

/** Raised when a definition changes, so that sounds measured before are measured again. */
export const MEASURES_VERSION = 4;

/** Of the signal to be measured. */
export interface SignalShape {
  sampleRateHz: number;
  channels: number;
  channelMask?: number | undefined;
  isAmbisonic?: boolean | undefined;
  /** Bits of integer samples; 0 for float and coded audio. */
  bitDepth: number;
  /** The length to expect; 0 when nobody knows. */
  frames: number;
}

/** Everything that is measured of a sound; definitions and sources in docs/analysis.md. */
export interface Measures extends Loudness, Levels, Character {
  durationSeconds: number;
  channelLayout: string;
  /** Highest between the samples too, dBTP; null for digital silence. */
  truePeakDbtp: number | null;
  noiseFloorDbfs: number | null;
  /** Null for sounds without an audible moment. */
  spectrum: {
    centroidHz: number;
    bandwidthHz: number;
    rollOffHz: number;
    flatnessDb: number;
    zeroCrossingsHz: number;
    centroidMovementOctaves: number;
  } | null;
  onsets: Onset[];
  tempoBpm: number | null;
  /** As in TKEY of ID3v2.4: `C`, `F#m`; null where there is none, or it is not certain. */
  key: string | null;
  /** For the search of sounds alike; null for silence. */
  features: number[] | null;
}

export interface SoundAnalysis {
  measures: Measures;
  peaks: PeakLevel[];
  /** The spectral centroid over time, Hz, a value every `hopSeconds`; 0 where nothing is heard. */
  brightness: { hopSeconds: number; hertz: Float32Array };
  /** The momentary loudness every 100 ms, LUFS; -Infinity where nothing is heard, empty for sounds shorter than 400 ms. */
  loudnessCurve: Float32Array;
  /** Null where nothing is heard. */
  fingerprint: Fingerprint | null;
  frames: number;
}

/** Measures a sound in one pass over its samples, planar and in blocks of any length. */
export class SoundMeter {
  private readonly shape: SignalShape;
  private readonly loudness: LoudnessMeter;
  private readonly levels: LevelMeter;
  private readonly truePeaks: TruePeakMeter[];
  private readonly envelope: EnergyEnvelope;
  private readonly spectral: SpectralMeter;
  private readonly key: KeyMeter;
  private readonly fingerprint: FingerprintMeter;
  private readonly peaks: PeakGatherer;
  private readonly mixed: number[];
  private mono = new Float32Array(0);
  private frames = 0;

  constructor(shape: SignalShape) {
    const { sampleRateHz, channels, bitDepth, frames } = shape;
    this.shape = shape;
    this.loudness = new LoudnessMeter(sampleRateHz, shape);
    this.levels = new LevelMeter(sampleRateHz, channels, bitDepth);
    this.truePeaks = Array.from({ length: channels }, () => new TruePeakMeter(sampleRateHz));
    this.envelope = new EnergyEnvelope(sampleRateHz, channels);
    this.spectral = new SpectralMeter(sampleRateHz);
    this.key = new KeyMeter(sampleRateHz);
    this.fingerprint = new FingerprintMeter(sampleRateHz);
    this.peaks = new PeakGatherer(channels, frames);
    const { speakers } = channelLayout(shape);
    // The first channel of ambisonics hears all around; the others are differences.
    this.mixed = shape.isAmbisonic ? [0] : speakers.flatMap((speaker, channel) => (speaker === 'LFE' ? [] : [channel]));
  }

  /** The first `frames` samples of each channel. */
  add(channels: readonly Float32Array[], frames: number): void {
    this.loudness.add(channels, frames);
    this.levels.add(channels, frames);
    this.truePeaks.forEach((meter, channel) => meter.add(channels[channel] as Float32Array, frames));
    this.envelope.add(channels, frames);
    const mono = this.monoOf(channels, frames);
    this.spectral.add(mono, frames);
    this.key.add(mono, frames);
    this.fingerprint.add(mono, frames);
    this.peaks.add(channels, frames);
    this.frames += frames;
  }

  private monoOf(channels: readonly Float32Array[], frames: number): Float32Array {
    if (this.mixed.length === 1) return channels[this.mixed[0] ?? 0] as Float32Array;
    if (this.mono.length < frames) this.mono = new Float32Array(frames);
    const mono = this.mono;
    const share = 1 / this.mixed.length;
    mono.fill(0, 0, frames);
    for (const channel of this.mixed) addScaled(channels[channel] as Float32Array, share, mono, frames);
    return mono;
  }

  finish(): SoundAnalysis {
    const { sampleRateHz } = this.shape;
    const durationSeconds = this.frames / sampleRateHz;
    const loudness = this.loudness.finish();
    const levels = this.levels.finish();
    const bins = this.envelope.finish();
    const { binSeconds } = this.envelope;
    const { flux, brightnessHz, hopSeconds, ...spectrum } = this.spectral.finish();
    const onsets = findOnsets(flux, hopSeconds, bins, binSeconds);
    const tempoBpm = onsets.length < FEWEST_BEATS ? null : findTempo(flux, hopSeconds);
    const input = { durationSeconds, tempoBpm, bins, binSeconds, onsets, spectrum, ...loudness, ...levels };
    const measures: Measures = {
      durationSeconds,
      channelLayout: levels.isDualMono ? 'dual mono' : channelLayout(this.shape).name,
      ...levels,
      truePeakDbtp: decibels(this.truePeaks.reduce((most, meter) => Math.max(most, meter.finish()), 0)),
      ...loudness,
      noiseFloorDbfs: noiseFloorDbfs(bins, binSeconds),
      spectrum:
        spectrum.audibleFrames === 0
          ? null
          : {
              centroidHz: hertz(spectrum.centroid),
              bandwidthHz: hertz(spectrum.bandwidth),
              rollOffHz: hertz(spectrum.rollOff),
              flatnessDb: spectrum.flatnessDb.mean,
              zeroCrossingsHz: (spectrum.zeroCrossings.mean * sampleRateHz) / 2,
              centroidMovementOctaves: spectrum.centroid.deviation,
            },
      onsets,
      tempoBpm,
      key: this.key.finish(),
      ...characterOf(input),
      features: featureVector(input),
    };
    return {
      measures,
      peaks: this.peaks.finish(),
      brightness: { hopSeconds: hopSeconds * 2, hertz: brightnessHz },
      loudnessCurve: this.loudness.curve(),
      fingerprint: this.fingerprint.finish(),
      frames: this.frames,
    };
  }
}

function addScaled(samples: Float32Array, share: number, into: Float32Array, frames: number): void {
  for (let index = 0; index < frames; index += 1)
    into[index] = (into[index] as number) + share * (samples[index] as number);
}

/** The geometric mean that a spread over octaves stands for. */
function hertz({ mean }: Spread): number {
  return 2 ** mean;
}
