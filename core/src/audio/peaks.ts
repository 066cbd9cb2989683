/**
 * The picture of a waveform at several zooms. Of each bucket and channel three bytes: lowest and highest sample (signed, 127 is full scale)
 * and RMS (255 is full scale). Bucket after bucket, in it channel after channel.
 */
export interface PeakLevel {
  framesPerBucket: number;
  buckets: number;
  values: Uint8Array;
}

export const PEAK_BYTES = 3;
/** Buckets that fill the widest screen. */
export const MOST_BUCKETS = 2048;
/** Enough for the small picture in a row of a list; no level is needed that is coarser. */
const FEWEST_BUCKETS = 128;
/** The finest that is kept: below it, a view draws from the samples themselves. */
const FINEST_FRAMES = 256;
/** From level to level. */
const COARSER = 8;

/** Lowest, highest and energy of each bucket while samples arrive. */
class Buckets {
  low: Float32Array;
  high: Float32Array;
  squares: Float32Array;

  constructor(slots: number) {
    this.low = new Float32Array(slots);
    this.high = new Float32Array(slots);
    this.squares = new Float32Array(slots);
  }

  grow(slots: number): void {
    const larger = new Buckets(slots);
    larger.low.set(this.low);
    larger.high.set(this.high);
    larger.squares.set(this.squares);
    Object.assign(this, larger);
  }
}

/** Gathers peaks from planar samples that arrive in blocks of any length. */
export class PeakGatherer {
  private readonly channels: number;
  private readonly framesPerBucket: number;
  private readonly gathered: Buckets;
  private frame = 0;

  /** `frames` is the length to expect, by which short sounds get finer buckets; 0 when nobody knows. */
  constructor(channels: number, frames: number) {
    this.channels = channels;
    const fine = frames > 0 ? 2 ** Math.floor(Math.log2(frames / MOST_BUCKETS)) : FINEST_FRAMES;
    this.framesPerBucket = Math.max(1, Math.min(FINEST_FRAMES, fine));
    this.gathered = new Buckets(MOST_BUCKETS * channels);
  }

  add(planar: readonly Float32Array[], frames: number): void {
    const { channels, framesPerBucket, gathered } = this;
    const buckets = Math.ceil((this.frame + frames) / framesPerBucket);
    if (buckets * channels > gathered.low.length) gathered.grow(Math.max(buckets * channels, gathered.low.length * 2));
    for (let channel = 0; channel < channels; channel += 1) {
      const samples = planar[channel] as Float32Array;
      let from = 0;
      while (from < frames) {
        const bucket = Math.floor((this.frame + from) / framesPerBucket);
        const to = Math.min(frames, (bucket + 1) * framesPerBucket - this.frame);
        const slot = bucket * channels + channel;
        const isFirst = (this.frame + from) % framesPerBucket === 0;
        let low = isFirst ? Infinity : (gathered.low[slot] as number);
        let high = isFirst ? -Infinity : (gathered.high[slot] as number);
        let squares = gathered.squares[slot] as number;
        for (let index = from; index < to; index += 1) {
          const value = samples[index] as number;
          if (value < low) low = value;
          if (value > high) high = value;
          squares += value * value;
        }
        gathered.low[slot] = low;
        gathered.high[slot] = high;
        gathered.squares[slot] = squares;
        from = to;
      }
    }
    this.frame += frames;
  }

  /** The levels, finest first; the last one is small, so that many sounds' can be read at once for a list. */
  finish(): PeakLevel[] {
    const { channels, gathered, framesPerBucket, frame } = this;
    const buckets = Math.ceil(frame / framesPerBucket);
    const values = new Uint8Array(buckets * channels * PEAK_BYTES);
    for (let slot = 0; slot < buckets * channels; slot += 1) {
      const frames = Math.min(framesPerBucket, frame - Math.floor(slot / channels) * framesPerBucket);
      values[slot * PEAK_BYTES] = signedByte(Math.floor((gathered.low[slot] as number) * 127));
      values[slot * PEAK_BYTES + 1] = signedByte(Math.ceil((gathered.high[slot] as number) * 127));
      values[slot * PEAK_BYTES + 2] = Math.min(
        255,
        Math.round(Math.sqrt((gathered.squares[slot] as number) / frames) * 255),
      );
    }
    const levels: PeakLevel[] = [{ framesPerBucket, buckets, values }];
    for (let last = levels[0]; last && last.buckets > FEWEST_BUCKETS * COARSER; last = levels.at(-1)) {
      const coarser = Math.ceil(last.buckets / COARSER);
      const values = reducePeaks(last.values, channels, coarser, COARSER);
      levels.push({ framesPerBucket: last.framesPerBucket * COARSER, buckets: coarser, values });
    }
    return levels;
  }
}

/** Rounded away from zero by the caller, so that no peak looks smaller than it is. */
function signedByte(value: number): number {
  return Math.max(-127, Math.min(127, Number.isFinite(value) ? value : 0)) & 0xff;
}

/** The picture of all channels in one, three bytes a bucket: the furthest of their peaks, and the highest of their RMS. */
export function mergeChannels(values: Uint8Array, channels: number): Uint8Array {
  const buckets = Math.floor(values.length / (channels * PEAK_BYTES));
  const merged = new Uint8Array(buckets * PEAK_BYTES);
  for (let bucket = 0; bucket < buckets; bucket += 1) {
    let [low, high, rms] = [127, -127, 0];
    for (let channel = 0; channel < channels; channel += 1) {
      const at = (bucket * channels + channel) * PEAK_BYTES;
      low = Math.min(low, signed(values[at] as number));
      high = Math.max(high, signed(values[at + 1] as number));
      rms = Math.max(rms, values[at + 2] as number);
    }
    merged.set([low & 0xff, high & 0xff, rms], bucket * PEAK_BYTES);
  }
  return merged;
}

/** A byte as the signed number that it stands for. */
export function signed(byte: number): number {
  return (byte << 24) >> 24;
}

/** Draws buckets together into `wanted` ones: each of `every` buckets where that is given, else evenly over all of them. */
export function reducePeaks(values: Uint8Array, channels: number, wanted: number, every?: number): Uint8Array {
  const stride = channels * PEAK_BYTES;
  const buckets = values.length / stride;
  const reduced = new Uint8Array(wanted * stride);
  const start = (bucket: number): number =>
    every === undefined ? Math.floor((bucket * buckets) / wanted) : bucket * every;
  for (let bucket = 0; bucket < wanted; bucket += 1) {
    const from = start(bucket);
    const to = Math.min(buckets, Math.max(from + 1, start(bucket + 1)));
    for (let channel = 0; channel < channels; channel += 1) {
      let [low, high, squares] = [127, -127, 0];
      for (let index = from; index < to; index += 1) {
        const at = index * stride + channel * PEAK_BYTES;
        low = Math.min(low, signed(values[at] as number));
        high = Math.max(high, signed(values[at + 1] as number));
        squares += (values[at + 2] as number) ** 2;
      }
      const at = bucket * stride + channel * PEAK_BYTES;
      reduced[at] = low & 0xff;
      reduced[at + 1] = high & 0xff;
      reduced[at + 2] = Math.round(Math.sqrt(squares / (to - from)));
    }
  }
  return reduced;
}
