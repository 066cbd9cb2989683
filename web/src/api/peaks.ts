/** A waveform as the server keeps it: bucket after bucket, in it channel after channel, three bytes (core's audio/peaks.ts). */
export interface PeaksPicture {
  channels: number;
  buckets: number;
  values: Uint8Array;
}

const kept = new Map<number, Promise<PeaksPicture | undefined>>();
const KEEP = 600;
/** Two for each pixel of a wide window. */
const BUCKETS = 2048;

/** The peaks of a sound; undefined when the server cannot draw it (coded audio, drive away). The newest 600 are kept. */
export function peaksOf(soundId: number): Promise<PeaksPicture | undefined> {
  const known = kept.get(soundId);
  if (known) return known;
  const loading: Promise<PeaksPicture | undefined> = load(soundId).catch(() => {
    // Asked again the next time the row is shown: the drive may be back by then.
    kept.delete(soundId);
    return undefined;
  });
  kept.set(soundId, loading);
  const [oldest] = kept.keys();
  if (kept.size > KEEP && oldest !== undefined) kept.delete(oldest);
  return loading;
}

async function load(soundId: number): Promise<PeaksPicture> {
  const response = await fetch(`/api/sounds/${soundId}/peaks?buckets=${BUCKETS}`);
  if (!response.ok) throw new Error(`The server answered ${response.status} for the peaks of sound ${soundId}.`);
  const number = (name: string): number => Number(response.headers.get(`X-Peaks-${name}`));
  return {
    channels: number('Channels'),
    buckets: number('Buckets'),
    values: new Uint8Array(await response.arrayBuffer()),
  };
}
