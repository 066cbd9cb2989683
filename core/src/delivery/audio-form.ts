import { channelLayout, type Speaker } from '../audio/channel-layout.ts';
import { foldToMono, foldToStereo, type MixMatrix } from '../audio/channel-mix.ts';
import { convertedLength } from '../audio/convert/rate-converter.ts';
import type { AudioFacts, ContainerName } from '../formats/audio-file.ts';
import { KIND_OF, type ContainerKind } from '../formats/container.ts';
import type { DeliveredAudio, DeliveredContainer } from './profile.ts';

export type MadeContainer = Exclude<DeliveredContainer, 'asIs'>;

export type DeliveryProblemCode =
  'CONTAINER_CHANGED' | 'CODED_ANEW' | 'RATE_CHANGED' | 'LAYOUT_UNKNOWN' | 'CHANNELS_TOO_MANY' | 'OUTGROWS_CONTAINER';

/** An `error` keeps a sound from being delivered; a `notice` only tells. */
export interface DeliveryProblem {
  code: string;
  severity: 'error' | 'notice';
  message: string;
}

/** One file that a sound becomes. */
export interface MadeFile {
  /** What follows the name, of a channel of its own: `.L`. */
  suffix: string;
  /** Gains from the sound's channels; null for all as they are. */
  matrix: MixMatrix | null;
  channels: number;
}

/** What a sound becomes: its file as it is, or files that are made. */
export type DeliveredForm =
  | { kind: 'same'; problems: DeliveryProblem[] }
  | {
      kind: 'made';
      container: MadeContainer;
      extension: string;
      sampleRateHz: number;
      sampleFormat: 'integer' | 'float';
      bitDepth: number;
      /** Samples are made shorter, or new ones: rounding them is to be dithered. */
      isRounded: boolean;
      files: MadeFile[];
      problems: DeliveryProblem[];
    };

export type FormFacts = Pick<
  AudioFacts,
  'container' | 'sampleFormat' | 'sampleRateHz' | 'bitDepth' | 'channels' | 'channelMask' | 'isAmbisonic' | 'frames'
>;

const EXTENSIONS: Record<MadeContainer, string> = {
  WAV: '.wav',
  AIFF: '.aif',
  FLAC: '.flac',
  MP3: '.mp3',
  Ogg: '.ogg',
};
const MADE_AS: Partial<Record<ContainerKind, MadeContainer>> = {
  wave: 'WAV',
  aiff: 'AIFF',
  flac: 'FLAC',
  mp3: 'MP3',
  ogg: 'Ogg',
};
const LOSSY: readonly MadeContainer[] = ['MP3', 'Ogg'];
/** Rates of MPEG-1 and MPEG-2 audio (ISO/IEC 11172-3 §2.4.2.3, 13818-3), and MPEG-2.5 as encoders have it. */
const MP3_RATES_HZ = [8000, 11_025, 12_000, 16_000, 22_050, 24_000, 32_000, 44_100, 48_000];
/** Of Vorbis as ffmpeg's encoder takes it (from memory). */
const OGG_RATES_HZ = [8000, 192_000] as const;
/** ISO/IEC 11172-3; the FLAC format (RFC 9639 §9.1.3); Vorbis I §4.3.9 as far as it names layouts; our own bound of the others. */
const MOST_CHANNELS: Record<MadeContainer, number> = { WAV: 64, AIFF: 64, FLAC: 8, MP3: 2, Ogg: 8 };
/** The size of a form is a number of 32 bits (Apple, “Audio Interchange File Format”, 1989). */
const MOST_AIFF_BYTES = 2 ** 32 - 64 * 1024;
/** Bytes a second of a channel pair as the encoders are asked for, for the estimate: MP3 at 320 kbit/s, Vorbis at quality 6. */
const CODED_BYTES_A_SECOND: Partial<Record<MadeContainer, number>> = { MP3: 40_000, Ogg: 24_000 };
/** Of the bytes of PCM, about (common practice). */
const FLAC_SHARE = 0.6;

const notice = (code: DeliveryProblemCode, message: string): DeliveryProblem => ({ code, severity: 'notice', message });
const fault = (code: DeliveryProblemCode, message: string): DeliveryProblem => ({ code, severity: 'error', message });

/**
 * What a sound is delivered as. `isWorked` says that its samples are made anyway: a part of it, or what was tried out. A file that has the wanted form already is delivered as it is.
 */
export function deliveredForm(facts: FormFacts, wanted: DeliveredAudio, isWorked: boolean): DeliveredForm {
  const { container: own } = facts;
  const made = MADE_AS[KIND_OF[own]];
  const { files, problem } = filesOf(facts, wanted.channels);
  const stays =
    (wanted.container === 'asIs' || isContainer(own, wanted.container)) &&
    (wanted.sampleRateHz === null || wanted.sampleRateHz === facts.sampleRateHz) &&
    hasDepth(facts, wanted.depth) &&
    files.every(({ matrix, suffix }) => matrix === null && suffix === '') &&
    wanted.level.kind === 'asIs';
  if (stays && !isWorked) return { kind: 'same', problems: [] };
  const container = wanted.container === 'asIs' ? (made ?? 'WAV') : wanted.container;
  const problems: DeliveryProblem[] = problem ? [problem] : [];
  if (wanted.container === 'asIs' && made === undefined)
    problems.push(notice('CONTAINER_CHANGED', `${own} is not written here: it becomes WAV.`));
  if (LOSSY.includes(container) && container === made)
    problems.push(notice('CODED_ANEW', `It is ${own} already and is coded a second time, which costs quality.`));
  const asked = wanted.sampleRateHz ?? facts.sampleRateHz;
  const sampleRateHz = rateFor(container, asked);
  if (sampleRateHz !== asked)
    problems.push(notice('RATE_CHANGED', `${container} has no ${asked} Hz: it becomes ${sampleRateHz} Hz.`));
  const most = MOST_CHANNELS[container];
  if (files.some(({ channels }) => channels > most))
    problems.push(
      fault('CHANNELS_TOO_MANY', `${container} holds no more than ${most} channels, and it has ${facts.channels}.`),
    );
  const stored = storedFor(
    container,
    facts,
    wanted.depth,
    isWorked || !isUntouched(facts, wanted, files, sampleRateHz),
  );
  const form = {
    kind: 'made' as const,
    container,
    extension: EXTENSIONS[container],
    sampleRateHz,
    ...stored,
    files,
    problems,
  };
  if (container === 'AIFF' && bytesOfForm(form, facts) / files.length > MOST_AIFF_BYTES)
    problems.push(fault('OUTGROWS_CONTAINER', 'AIFF holds no more than 4 GiB: take WAV for it.'));
  return form;
}

/** Bytes of all files that a form makes, about where they are coded. */
export function bytesOfForm(
  form: Extract<DeliveredForm, { kind: 'made' }>,
  facts: Pick<FormFacts, 'frames' | 'sampleRateHz'>,
): number {
  const frames = convertedLength(facts.frames, facts.sampleRateHz, form.sampleRateHz);
  const coded = CODED_BYTES_A_SECOND[form.container];
  const share = form.container === 'FLAC' ? FLAC_SHARE : 1;
  return form.files.reduce(
    (sum, { channels }) =>
      sum +
      Math.round(
        coded === undefined
          ? frames * channels * Math.ceil(form.bitDepth / 8) * share
          : (frames / form.sampleRateHz) * coded,
      ),
    0,
  );
}

function isContainer(own: ContainerName, wanted: MadeContainer): boolean {
  // RF64 and BW64 are what WAV is where it is long; RIFX and AIFF-C are read by few programs.
  return wanted === 'WAV' ? own === 'WAV' || own === 'RF64' || own === 'BW64' : own === wanted;
}

function hasDepth({ sampleFormat, bitDepth }: FormFacts, wanted: DeliveredAudio['depth']): boolean {
  if (wanted === 'asIs' || sampleFormat === 'coded') return true;
  if (wanted === '32 float') return sampleFormat === 'float' && bitDepth === 32;
  return sampleFormat === 'integer' && bitDepth === Number(wanted);
}

/** Whether nothing is done to the samples but storing them elsewhere. */
function isUntouched(
  facts: FormFacts,
  wanted: DeliveredAudio,
  files: readonly MadeFile[],
  sampleRateHz: number,
): boolean {
  const isMixed = files.some(
    ({ matrix }) => matrix?.some((row) => row.some((gain) => gain !== 0 && gain !== 1)) ?? false,
  );
  return !isMixed && sampleRateHz === facts.sampleRateHz && wanted.level.kind === 'asIs';
}

function rateFor(container: MadeContainer, asked: number): number {
  if (container === 'MP3') return MP3_RATES_HZ.find((rate) => rate >= asked) ?? 48_000;
  if (container === 'Ogg') return Math.max(OGG_RATES_HZ[0], Math.min(OGG_RATES_HZ[1], asked));
  return asked;
}

/** How samples are stored, and whether they are made shorter or anew. */
function storedFor(
  container: MadeContainer,
  { sampleFormat, bitDepth }: FormFacts,
  depth: DeliveredAudio['depth'],
  isWorked: boolean,
): { sampleFormat: 'integer' | 'float'; bitDepth: number; isRounded: boolean } {
  // An encoder takes them as they come and rounds nothing.
  if (LOSSY.includes(container)) return { sampleFormat: 'float', bitDepth: 32, isRounded: false };
  const holdsFloats = container === 'WAV';
  const own = sampleFormat === 'integer' ? bitDepth : sampleFormat === 'float' ? 32 : 24;
  const isFloat = depth === '32 float' || (depth === 'asIs' && (sampleFormat === 'float' || own > 24));
  if (isFloat && holdsFloats) return { sampleFormat: 'float', bitDepth: 32, isRounded: false };
  const bits = isFloat ? 24 : depth === 'asIs' ? (own <= 16 ? 16 : 24) : Number(depth);
  return { sampleFormat: 'integer', bitDepth: bits, isRounded: isWorked || sampleFormat !== 'integer' || own > bits };
}

function filesOf(
  facts: FormFacts,
  wanted: DeliveredAudio['channels'],
): { files: MadeFile[]; problem?: DeliveryProblem } {
  const whole: MadeFile = { suffix: '', matrix: null, channels: facts.channels };
  const { speakers } = channelLayout(facts);
  const isUnknown = speakers.includes('?');
  if (wanted === 'asIs') return { files: [whole] };
  if (wanted === 'split') {
    if (facts.channels === 1) return { files: [whole] };
    const files = speakers.map((speaker, channel) => ({
      suffix: `.${suffixOf(speaker, channel, speakers)}`,
      matrix: [speakers.map((_, other) => (other === channel ? 1 : 0))],
      channels: 1,
    }));
    return { files };
  }
  const channels = wanted === 'mono' ? 1 : 2;
  if (facts.channels === channels) return { files: [whole] };
  const matrix = wanted === 'mono' ? foldToMono(speakers) : foldToStereo(speakers);
  const files = [{ suffix: '', matrix, channels }];
  if (!isUnknown) return { files };
  const message = `What its ${facts.channels} channels are is not known: only the first is delivered.`;
  return { files, problem: notice('LAYOUT_UNKNOWN', message) };
}

/** What a channel adds to a name: its speaker (common practice), or its number where that is not known or stands twice. */
function suffixOf(speaker: Speaker, channel: number, all: readonly Speaker[]): string {
  const isOne = speaker !== '?' && all.filter((other) => other === speaker).length === 1;
  return isOne ? speaker : String(channel + 1);
}
