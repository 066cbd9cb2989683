import { fetchBytes } from '../api/client.ts';

/** Brightness and loudness of a sound over time, as the server keeps them. */
export interface SoundCurves {
  /** A byte every `brightnessHopSeconds`: 24 steps to the octave from 20 Hz, 0 where nothing is heard. */
  brightness: Uint8Array;
  brightnessHopSeconds: number;
  /** A byte every 100 ms (core's loudness-curve.ts). */
  loudness: Uint8Array;
}

/** The curves of a sound; empty while it is not measured. */
export async function curvesOf(soundId: number, signal: AbortSignal): Promise<SoundCurves> {
  const { bytes, header } = await fetchBytes(`/sounds/${soundId}/curves`, { signal });
  const count = header('X-Brightness-Values');
  return {
    brightness: new Uint8Array(bytes, 0, count),
    brightnessHopSeconds: header('X-Brightness-Hop'),
    loudness: new Uint8Array(bytes, count),
  };
}
