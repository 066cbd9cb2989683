import { spawn, type ChildProcess } from 'node:child_process';
import { AppError } from '@flagstone/core/errors';
import type { AudioFacts } from '@flagstone/core/formats/audio-file';
import { KIND_OF, type ContainerKind } from '@flagstone/core/formats/container';

/** What ffmpeg calls the containers that are read here (ffmpeg -demuxers); it never guesses, since a playlist or a script would be guessed too. */
const DEMUXERS: Record<ContainerKind, string> = {
  wave: 'wav',
  aiff: 'aiff',
  flac: 'flac',
  mp3: 'mp3',
  ogg: 'ogg',
  caf: 'caf',
  m4a: 'mov',
  w64: 'w64',
  au: 'au',
};
const MOST_MEMORY_BYTES = 2 * 1024 ** 3;
/** Decoding is a hundred times faster than listening; ten times is given, and a minute for the start. */
const CPU_SECONDS = 60;
const CPU_SHARE = 0.1;

/** Rates and lengths that can be worked with: from bats and vibrations to two days of sound. Beyond them a file is damaged, or made to hurt. */
const RATES_HZ = [1000, 1_536_000] as const;
const MOST_SECONDS = 48 * 3600;
const MOST_CHANNELS = 256;

/** Throws FORMAT_DAMAGED for audio whose facts are beyond all that is worked with, before any memory is taken for it. */
export function refuseUnworkable({ sampleRateHz, channels, frames, durationSeconds }: AudioFacts): void {
  const fail = (what: string): never => {
    throw new AppError('FORMAT_DAMAGED', `Its audio cannot be measured or drawn: ${what}.`);
  };
  if (!(sampleRateHz >= RATES_HZ[0] && sampleRateHz <= RATES_HZ[1]))
    fail(`it says ${sampleRateHz} Hz, which is not between ${RATES_HZ[0]} and ${RATES_HZ[1]}`);
  if (!(channels >= 1 && channels <= MOST_CHANNELS))
    fail(`it says ${channels} channels, which is not 1 to ${MOST_CHANNELS}`);
  if (Math.max(durationSeconds, frames / sampleRateHz) > MOST_SECONDS)
    fail(`it says ${Math.round(durationSeconds / 3600)} hours, more than ${MOST_SECONDS / 3600}`);
}

/** How ffmpeg is told of a file: its container as Flagstone knows it, files and pipes alone, and of an MP3 only what follows its tags. */
export function inputOf(path: string, facts: AudioFacts, seekSeconds = 0): string[] {
  const demuxer = DEMUXERS[KIND_OF[facts.container]];
  if (demuxer === undefined) throw new AppError('CODEC_NOT_SUPPORTED', `Audio in ${facts.container} is not decoded.`);
  // Two hundred thousand frames of a tag would keep it busy for minutes.
  const skip = demuxer === 'mp3' && facts.audioOffset > 0 ? ['-skip_initial_bytes', String(facts.audioOffset)] : [];
  const seek = seekSeconds > 0 ? ['-ss', seekSeconds.toFixed(6)] : [];
  return [
    '-v',
    'error',
    '-nostdin',
    '-protocol_whitelist',
    'file,pipe',
    '-f',
    demuxer,
    ...skip,
    ...seek,
    '-i',
    `file:${path}`,
  ];
}

/**
 * Starts ffmpeg with limits of memory and computing time; it ends with the thread that started it. Standard output is to be read, standard error holds its
 * complaints.
 */
export function startFfmpeg(facts: AudioFacts, args: readonly string[]): ChildProcess {
  const [command, ...rest] = limitedFfmpeg(facts, args);
  return spawn(command, rest, { stdio: ['ignore', 'pipe', 'pipe'] });
}

/** The command line of ffmpeg under limits. */
export function limitedFfmpeg(facts: AudioFacts, args: readonly string[]): [string, ...string[]] {
  const cpuSeconds = Math.ceil(CPU_SECONDS + facts.durationSeconds * CPU_SHARE);
  const limits = [`--as=${MOST_MEMORY_BYTES}`, `--cpu=${cpuSeconds}`];
  return ['setpriv', '--pdeathsig', 'KILL', 'prlimit', ...limits, '--', 'ffmpeg', ...args];
}

/** What ffmpeg complained of, without the addresses of its own memory and the path of the file. */
export function complaintOf(text: string, path: string): string {
  return text
    .replaceAll(`file:${path}`, 'the file')
    .replaceAll(path, 'the file')
    .replace(/ @ 0x[0-9a-f]+/g, '')
    .replace(/\s+/g, ' ')
    .trim()
    .slice(0, 300);
}
