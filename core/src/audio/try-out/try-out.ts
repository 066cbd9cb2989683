import { channelLayout, type ChannelFacts, type Speaker } from '../channel-layout.ts';
import { foldToMono, foldToStereo, mixed } from '../channel-mix.ts';
import { LoudnessMeter } from '../measure/loudness-meter.ts';
import { TruePeakMeter } from '../measure/true-peak-meter.ts';
import { resample } from '../resample.ts';
import { bandFilter, filterInPlace, type Band } from './biquad.ts';
import { convolve } from './convolve.ts';
import { impulseOf, ROOM_NAMES, type Room } from './rooms.ts';
import { shiftPitch, stretch } from './stretch.ts';

/** One step of trying a sound out; only those that are on count. */
export type Tile = { on: boolean } & (
  | { kind: 'trim'; belowDbfs: number }
  | { kind: 'reverse' }
  /** Speed and pitch together, as a tape does. */
  | { kind: 'speed'; percent: number }
  | { kind: 'pitch'; semitones: number }
  /** Length alone. */
  | { kind: 'time'; percent: number }
  | { kind: 'equaliser'; bands: Band[] }
  | { kind: 'room'; room: Room; wetPercent: number }
  /** Of a pair of channels: 0 is mono, 200 the sides twice as strong. */
  | { kind: 'width'; percent: number }
  | { kind: 'fold'; to: 'stereo' | 'mono' }
  | { kind: 'normalise'; to: 'truePeak' | 'loudness'; level: number }
  | { kind: 'fades'; inSeconds: number; outSeconds: number }
);
export type TileKind = Tile['kind'];

/** The steps in the order in which they act. */
export type TryOut = Tile[];

/** Samples with what has to be known of them; rows of the same length, full scale 1. */
export interface SampledSound extends ChannelFacts {
  planar: Float32Array[];
  sampleRateHz: number;
}

/** Every step, off, as it stands when somebody begins. */
export function untouchedTryOut(): TryOut {
  return [
    { kind: 'trim', on: false, belowDbfs: -60 },
    { kind: 'reverse', on: false },
    { kind: 'speed', on: false, percent: 100 },
    { kind: 'pitch', on: false, semitones: 0 },
    { kind: 'time', on: false, percent: 100 },
    {
      kind: 'equaliser',
      on: false,
      bands: [
        { kind: 'lowCut', hertz: 40, gainDb: 0, q: Math.SQRT1_2 },
        { kind: 'bell', hertz: 300, gainDb: 0, q: 1 },
        { kind: 'bell', hertz: 2500, gainDb: 0, q: 1 },
        { kind: 'highShelf', hertz: 8000, gainDb: 0, q: Math.SQRT1_2 },
      ],
    },
    { kind: 'room', on: false, room: 'tiledRoom', wetPercent: 40 },
    { kind: 'width', on: false, percent: 100 },
    { kind: 'fold', on: false, to: 'stereo' },
    { kind: 'normalise', on: false, to: 'loudness', level: -23 },
    { kind: 'fades', on: false, inSeconds: 0.01, outSeconds: 0.05 },
  ];
}

/** The speed at which varispeed lowers or raises a sound by so many semitones: -12 gives 0.5. */
export function speedOfSemitones(semitones: number): number {
  return 2 ** (semitones / 12);
}

/** The sound after all steps that are on; the samples that are given stay as they are. */
export function renderTryOut(sound: SampledSound, tryOut: TryOut): SampledSound {
  let current: SampledSound = { ...sound, planar: sound.planar.map((samples) => samples.slice()) };
  for (const tile of tryOut) if (tile.on) current = renderTile(current, tile);
  return current;
}

function renderTile(sound: SampledSound, tile: Tile): SampledSound {
  const { planar, sampleRateHz } = sound;
  const each = (work: (samples: Float32Array) => Float32Array): SampledSound => ({
    ...sound,
    planar: planar.map(work),
  });
  switch (tile.kind) {
    case 'trim':
      return trimmed(sound, 10 ** (tile.belowDbfs / 20));
    case 'reverse':
      return each((samples) => samples.reverse());
    case 'speed':
      return each((samples) => resample(samples, tile.percent / 100));
    case 'pitch':
      return { ...sound, planar: shiftPitch(planar, tile.semitones, sampleRateHz) };
    case 'time':
      return { ...sound, planar: stretch(planar, tile.percent / 100, sampleRateHz) };
    case 'equaliser':
      for (const samples of planar)
        for (const band of tile.bands) if (acts(band)) filterInPlace(samples, bandFilter(band, sampleRateHz));
      return sound;
    case 'room':
      return inRoom(sound, tile.room, tile.wetPercent / 100);
    case 'width':
      return widened(sound, tile.percent / 100);
    case 'fold':
      return folded(sound, tile.to);
    case 'normalise':
      return normalised(sound, tile.to, tile.level);
    case 'fades':
      return faded(sound, tile.inSeconds, tile.outSeconds);
  }
}

/** A shelf or bell of 0 dB does nothing. */
function acts({ kind, gainDb }: Band): boolean {
  return kind === 'lowCut' || kind === 'highCut' || gainDb !== 0;
}

/** Without what lies below a level at the start and at the end; a sound that is silent as a whole stays. */
function trimmed(sound: SampledSound, level: number): SampledSound {
  const frames = sound.planar[0]?.length ?? 0;
  const isHeard = (frame: number): boolean =>
    sound.planar.some((samples) => Math.abs(samples[frame] as number) >= level);
  let [from, to] = [0, frames];
  while (from < to && !isHeard(from)) from += 1;
  while (to > from && !isHeard(to - 1)) to -= 1;
  return from === to ? sound : { ...sound, planar: sound.planar.map((samples) => samples.slice(from, to)) };
}

/** Heard in a room or through a device: `wet` of it, the rest as it was; as long as the room sounds on. One channel becomes two in a room. */
function inRoom(sound: SampledSound, room: Room, wet: number): SampledSound {
  const { planar, sampleRateHz } = sound;
  const impulses = [impulseOf(room, sampleRateHz, 0), impulseOf(room, sampleRateHz, 1)];
  const isWide = impulses[0]?.some((value, frame) => value !== impulses[1]?.[frame]) ?? false;
  const inputs = planar.length === 1 && isWide ? [planar[0], planar[0]] : planar;
  const result = inputs.map((samples = new Float32Array(0), channel) => {
    const heard = convolve(samples, impulses[channel % 2] as Float32Array);
    for (let frame = 0; frame < heard.length; frame += 1)
      heard[frame] = wet * (heard[frame] as number) + (1 - wet) * (samples[frame] ?? 0);
    return heard;
  });
  return inputs.length === planar.length ? { ...sound, planar: result } : { planar: result, channels: 2, sampleRateHz };
}

function widened(sound: SampledSound, width: number): SampledSound {
  const [left, right] = sound.planar;
  if (!left || !right || sound.planar.length !== 2) return sound;
  for (let frame = 0; frame < left.length; frame += 1) {
    const middle = ((left[frame] as number) + (right[frame] as number)) / 2;
    const side = (((left[frame] as number) - (right[frame] as number)) / 2) * width;
    left[frame] = middle + side;
    right[frame] = middle - side;
  }
  return sound;
}

function folded(sound: SampledSound, to: 'stereo' | 'mono'): SampledSound {
  const speakers: readonly Speaker[] = channelLayout(sound).speakers;
  const planar = mixed(sound.planar, to === 'mono' ? foldToMono(speakers) : foldToStereo(speakers));
  return { planar, channels: planar.length, sampleRateHz: sound.sampleRateHz };
}

/** A gate moves a little with the level, so that loudness is measured again until it is right. */
const LOUDNESS_ROUNDS = 4;

function normalised(sound: SampledSound, to: 'truePeak' | 'loudness', level: number): SampledSound {
  if (to === 'truePeak') {
    const peak = Math.max(...sound.planar.map((samples) => truePeakOf(samples, sound.sampleRateHz)));
    if (peak > 0) amplify(sound, 10 ** (level / 20) / peak);
    return sound;
  }
  for (let round = 0; round < LOUDNESS_ROUNDS; round += 1) {
    const lufs = loudnessOf(sound);
    if (lufs === null || Math.abs(lufs - level) < 0.01) break;
    amplify(sound, 10 ** ((level - lufs) / 20));
  }
  return sound;
}

function truePeakOf(samples: Float32Array, sampleRateHz: number): number {
  const meter = new TruePeakMeter(sampleRateHz);
  meter.add(samples, samples.length);
  return meter.finish();
}

/** Integrated, or the loudest moment of a sound too short for that; null for silence. */
export function loudnessOf(sound: SampledSound): number | null {
  const meter = new LoudnessMeter(sound.sampleRateHz, sound);
  meter.add(sound.planar, sound.planar[0]?.length ?? 0);
  const { integratedLufs, momentaryMaxLufs } = meter.finish();
  return integratedLufs ?? momentaryMaxLufs;
}

function amplify({ planar }: SampledSound, gain: number): void {
  for (const samples of planar)
    for (let frame = 0; frame < samples.length; frame += 1) samples[frame] = (samples[frame] as number) * gain;
}

/** The gain at a share of a fade, a raised cosine: 0 at its beginning, 1 at its end. */
export function fadeGain(share: number): number {
  return 0.5 - 0.5 * Math.cos(Math.PI * Math.min(1, Math.max(0, share)));
}

function faded(sound: SampledSound, inSeconds: number, outSeconds: number): SampledSound {
  const { planar, sampleRateHz } = sound;
  const [rise, fall] = [inSeconds * sampleRateHz, outSeconds * sampleRateHz];
  for (const samples of planar) {
    const { length } = samples;
    for (let frame = 0; frame < Math.min(rise, length); frame += 1)
      samples[frame] = (samples[frame] as number) * fadeGain(frame / rise);
    for (let frame = 0; frame < Math.min(fall, length); frame += 1)
      samples[length - 1 - frame] = (samples[length - 1 - frame] as number) * fadeGain(frame / fall);
  }
  return sound;
}

/** Whether a step leaves every sound as it is. */
function changesNothing(tile: Tile): boolean {
  if (tile.kind === 'speed' || tile.kind === 'time' || tile.kind === 'width') return tile.percent === 100;
  if (tile.kind === 'pitch') return tile.semitones === 0;
  return tile.kind === 'equaliser' && !tile.bands.some(acts);
}

/** What was done to a sound, in words for a coding history: `speed 50 %, hall 40 %`. */
export function tryOutInWords(tryOut: TryOut): string {
  return tryOut
    .filter((tile) => tile.on && !changesNothing(tile))
    .map((tile) => {
      switch (tile.kind) {
        case 'trim':
          return `trimmed below ${tile.belowDbfs} dBFS`;
        case 'reverse':
          return 'reversed';
        case 'speed':
          return `speed ${tile.percent} %`;
        case 'pitch':
          return `pitch ${tile.semitones > 0 ? '+' : ''}${tile.semitones} semitones`;
        case 'time':
          return `length ${tile.percent} %`;
        case 'equaliser': {
          const bands = tile.bands.filter(acts).map(({ kind, hertz, gainDb }) => `${kind} ${hertz} Hz ${gainDb} dB`);
          return `equaliser ${bands.join(' + ')}`.trim();
        }
        case 'room':
          return `${ROOM_NAMES[tile.room]} ${tile.wetPercent} %`;
        case 'width':
          return `width ${tile.percent} %`;
        case 'fold':
          return `folded to ${tile.to}`;
        case 'normalise':
          return `normalised to ${tile.level} ${tile.to === 'loudness' ? 'LUFS' : 'dBTP'}`;
        case 'fades':
          return `faded in ${tile.inSeconds} s, out ${tile.outSeconds} s`;
      }
    })
    .join(', ');
}
