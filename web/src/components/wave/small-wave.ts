import { MOST_WAVES, WAVE_BUCKETS } from '@flagstone/contract/measures';
import { PEAK_BYTES } from '@flagstone/core/audio/peaks';
import { call } from '../../api/client.ts';
import { wavePaths, type WavePaths } from './wave-paths.ts';

const kept = new Map<number, WavePaths>();
const KEEP = 2000;
/** What comes into view within this time is asked for at once: a list that goes by has some rows more with each frame. */
const GATHER_MS = 80;

type Answer = (paths: WavePaths | undefined) => void;
let asked = new Map<number, Answer[]>();

/** The small waveform of a sound when it was asked for lately. */
export function knownWave(soundId: number): WavePaths | undefined {
  return kept.get(soundId);
}

/** The small waveform of a sound, asked for together with those of other rows; undefined when it was not measured or cannot be had. */
export function smallWaveOf(soundId: number): Promise<WavePaths | undefined> {
  return new Promise((resolve) => {
    if (asked.size === 0) setTimeout(askForAll, GATHER_MS);
    asked.set(soundId, [...(asked.get(soundId) ?? []), resolve]);
  });
}

function askForAll(): void {
  const waiting = [...asked];
  asked = new Map();
  for (let at = 0; at < waiting.length; at += MOST_WAVES) void ask(waiting.slice(at, at + MOST_WAVES));
}

async function ask(waiting: readonly (readonly [number, readonly Answer[]])[]): Promise<void> {
  // A row without its waveform is a row still; what is wrong with the server is said by what asks for more than pictures.
  const waves = await call('getWaves', { query: { sounds: waiting.map(([id]) => id).join(',') } }).catch(() => []);
  for (const { soundId, values } of waves)
    keep(
      soundId,
      Uint8Array.from(atob(values), (letter) => letter.charCodeAt(0)),
    );
  for (const [soundId, answers] of waiting) for (const answer of answers) answer(kept.get(soundId));
}

/** The waveform of a sound that was not measured yet: asking measures it. Undefined when that cannot be (coded audio, drive away). */
export async function measuredWaveOf(soundId: number): Promise<WavePaths | undefined> {
  const response = await fetch(`/api/sounds/${soundId}/peaks?buckets=${WAVE_BUCKETS}`).catch(() => undefined);
  if (!response?.ok) return undefined;
  await response.arrayBuffer();
  return smallWaveOf(soundId);
}

function keep(soundId: number, values: Uint8Array): void {
  if (values.length < PEAK_BYTES) return;
  kept.set(soundId, wavePaths(values));
  const [oldest] = kept.keys();
  if (kept.size > KEEP && oldest !== undefined) kept.delete(oldest);
}
