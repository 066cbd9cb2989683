import { WAVE_BUCKETS } from '@flagstone/contract/measures';
import { PEAK_BYTES, signed } from '@flagstone/core/audio/peaks';

/** Height of the picture that the paths are drawn in; it is WAVE_BUCKETS wide. */
export const WAVE_HEIGHT = 22;

/** A waveform as two outlines of an SVG: the peaks, and the RMS inside them: what is loud, not only what is high. */
export interface WavePaths {
  peaks: string;
  rms: string;
}

const HALF = WAVE_HEIGHT / 2;
const SCALE = (HALF - 0.5) / 127;
/** Silence is a line that can be seen. */
const THINNEST = 0.4;

/** The outlines of a picture of one channel, three bytes a bucket, over the whole of `width`. */
export function wavePaths(values: Uint8Array, width = WAVE_BUCKETS): WavePaths {
  const buckets = Math.floor(values.length / PEAK_BYTES);
  const peaks: Outline = [];
  const rms: Outline = [];
  for (let bucket = 0; bucket < buckets; bucket += 1) {
    const at = bucket * PEAK_BYTES;
    const [low, high] = [signed(values[at] as number) * -SCALE, signed(values[at + 1] as number) * SCALE];
    const loud = ((values[at + 2] as number) / 255) * 127 * SCALE;
    peaks.push([Math.max(THINNEST, high), Math.max(THINNEST, low)]);
    rms.push([Math.min(loud, Math.max(0, high)), Math.min(loud, Math.max(0, low))]);
  }
  return { peaks: outline(peaks, width), rms: outline(rms, width) };
}

/** How far above and below the middle, of each bucket. */
type Outline = [up: number, down: number][];

/** Along the tops from left to right, and back along the bottoms; a bucket is a step of its full width, so that no peak looks smaller. */
function outline(steps: Outline, width: number): string {
  const x = (bucket: number): string => short((bucket * width) / steps.length);
  const tops = steps.map(([up], bucket) => `V${short(HALF - up)}H${x(bucket + 1)}`);
  const bottoms = steps.map(([, down], bucket) => `V${short(HALF + down)}H${x(bucket)}`).reverse();
  return `M0 ${HALF}${tops.join('')}${bottoms.join('')}Z`;
}

function short(value: number): string {
  return String(Math.round(value * 10) / 10);
}
