import { MOST_WAVES } from '@flagstone/contract/measures';
import { PEAK_BYTES } from '@flagstone/core/audio/peaks';
import { call } from '../api/client.ts';
import { wavePaths, type WavePaths } from './wave-paths.ts';

const kept = new Map<number, WavePaths>();
const KEEP = 2000;
/** Rows that come into view within this time are asked for at once; those that only passed by are not. */
const GATHER_MS = 80;

interface Asked {
  soundId: number;
  /** Whether the row still shows that sound. */
  isWanted: () => boolean;
  answer: (paths: WavePaths | undefined) => void;
}
let asked: Asked[] = [];

/** The small waveform of a sound when it was asked for lately. */
export function knownWave(soundId: number): WavePaths | undefined {
  return kept.get(soundId);
}

/**
 * The small waveform of a sound, asked for together with those of other rows. One that was not measured yet is measured. Undefined when it is no longer
 * wanted, or cannot be had (coded audio, drive away, server away): asked again the next time the row is shown.
 */
export function smallWaveOf(soundId: number, isWanted: () => boolean): Promise<WavePaths | undefined> {
  return new Promise((answer) => {
    if (asked.length === 0) setTimeout(askForAll, GATHER_MS);
    asked.push({ soundId, isWanted, answer });
  });
}

function askForAll(): void {
  const [wanted, passed] = [asked.filter(({ isWanted }) => isWanted()), asked.filter(({ isWanted }) => !isWanted())];
  asked = [];
  for (const { answer } of passed) answer(undefined);
  for (let at = 0; at < wanted.length; at += MOST_WAVES) void ask(wanted.slice(at, at + MOST_WAVES));
}

async function ask(rows: readonly Asked[]): Promise<void> {
  const isReached = await take(rows.map(({ soundId }) => soundId));
  for (const { soundId, isWanted, answer } of rows) {
    const isMissing = isReached && !kept.has(soundId) && isWanted();
    if (isMissing) void measure(soundId).then(() => answer(kept.get(soundId)));
    else answer(kept.get(soundId));
  }
}

/** Keeps the waveforms of those of the sounds that were measured; false when the server gave no answer. */
async function take(soundIds: readonly number[]): Promise<boolean> {
  const waves = await call('getWaves', { query: { sounds: soundIds.join(',') } }).catch((error: unknown) => {
    // A row without its waveform is a row still: no notice for each.
    console.warn('The waveforms of rows cannot be had.', error);
  });
  for (const { soundId, values } of waves ?? [])
    keep(
      soundId,
      Uint8Array.from(atob(values), (letter) => letter.charCodeAt(0)),
    );
  return waves !== undefined;
}

/** Asking for the peaks of a sound measures it. */
async function measure(soundId: number): Promise<void> {
  const response = await fetch(`/api/sounds/${soundId}/peaks?buckets=1`).catch(() => undefined);
  if (response?.ok) await take([soundId]);
}

function keep(soundId: number, values: Uint8Array): void {
  if (values.length < PEAK_BYTES) return;
  kept.set(soundId, wavePaths(values));
  const [oldest] = kept.keys();
  if (kept.size > KEEP && oldest !== undefined) kept.delete(oldest);
}
