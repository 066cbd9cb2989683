import { PEAK_BYTES } from '@flagstone/core/audio/peaks';
import { fetchBytes } from '../api/client.ts';

/** Frames of a sound, the end not included. */
export interface Span {
  from: number;
  to: number;
}

/** A stretch of a waveform: peaks as the server keeps them, or the samples themselves. */
export type Stretch = Span & { channels: number } & (
    { kind: 'peaks'; buckets: number; values: Uint8Array } | { kind: 'samples'; planar: Float32Array[] }
  );

const BUCKETS = 2048;
/** Up to so many frames the samples themselves are drawn. */
const MOST_SAMPLES = 32_768;
/** What is fetched reaches beyond the view by this share of it on each side, so that moving it a little asks for nothing. */
const BEYOND = 0.75;

/** Peaks of a part of a sound. Throws ApiError. */
async function peaksIn(soundId: number, { from, to }: Span, signal: AbortSignal): Promise<Stretch> {
  const { bytes, header } = await fetchBytes(`/sounds/${soundId}/peaks?from=${from}&to=${to}&buckets=${BUCKETS}`, {
    signal,
  });
  return {
    kind: 'peaks',
    channels: header('X-Peaks-Channels'),
    buckets: header('X-Peaks-Buckets'),
    from: header('X-Peaks-From'),
    to: header('X-Peaks-To'),
    values: new Uint8Array(bytes),
  };
}

/** The samples of a part of a sound, planar. Throws ApiError. */
export async function samplesIn(
  soundId: number,
  { from, to }: Span,
  signal?: AbortSignal,
): Promise<{ planar: Float32Array<ArrayBuffer>[]; sampleRateHz: number }> {
  const { bytes, header } = await fetchBytes(
    `/sounds/${soundId}/samples?from=${from}&to=${to}`,
    signal ? { signal } : {},
  );
  const channels = Math.max(1, header('X-Channels'));
  const all = new Float32Array(bytes);
  const frames = all.length / channels;
  const planar = Array.from({ length: channels }, (_, channel) =>
    all.subarray(channel * frames, (channel + 1) * frames),
  );
  return { planar, sampleRateHz: header('X-Sample-Rate') };
}

/**
 * The waveform of one sound at any zoom: the whole in a coarse picture from the start, and around what is looked at a finer one as soon as it has
 * arrived. `changed` is called when there is more to draw.
 */
export class WaveData {
  coarse: Stretch | undefined;
  fine: Stretch | undefined;
  /** The server cannot draw it: its drive is away, or its coding is not known. */
  failed = false;
  private readonly soundId: number;
  private readonly frames: number;
  private readonly changed: () => void;
  private asking = new AbortController();
  private asked: Span | undefined;

  constructor(soundId: number, frames: number, changed: () => void) {
    this.soundId = soundId;
    this.frames = frames;
    this.changed = changed;
    void this.load({ from: 0, to: frames }, 'coarse');
  }

  private async load(span: Span, into: 'coarse' | 'fine'): Promise<void> {
    const { signal } = this.asking;
    try {
      const wantsSamples = into === 'fine' && span.to - span.from <= MOST_SAMPLES;
      const stretch: Stretch = wantsSamples
        ? { kind: 'samples', channels: 0, ...span, ...(await samplesIn(this.soundId, span, signal)) }
        : await peaksIn(this.soundId, span, signal);
      if (stretch.kind === 'samples') {
        stretch.channels = stretch.planar.length;
        stretch.to = stretch.from + (stretch.planar[0]?.length ?? 0);
      }
      this[into] = stretch;
      this.changed();
    } catch (error) {
      if (error instanceof DOMException && error.name === 'AbortError') return;
      if (into === 'coarse') this.failed = true;
      this.changed();
    }
  }

  /** Asks for what a view needs, unless it is there or on its way. */
  look({ from, to }: Span, pixels: number): void {
    const span = to - from;
    if (this.frames === 0 || span >= this.frames * 0.95) return;
    const wanted = this.asked;
    const covers = wanted && wanted.from <= Math.max(0, from) && wanted.to >= Math.min(this.frames, to);
    const isFine = wanted && (wanted.to - wanted.from) / BUCKETS <= (span / pixels) * 2;
    if (covers && isFine) return;
    const beyond = span * BEYOND;
    this.asked = {
      from: Math.max(0, Math.floor(from - beyond)),
      to: Math.min(this.frames, Math.ceil(to + beyond)),
    };
    this.asking.abort();
    this.asking = new AbortController();
    if (!this.coarse && !this.failed) void this.load({ from: 0, to: this.frames }, 'coarse');
    void this.load(this.asked, 'fine');
  }

  /** What is drawn of a view: the finer picture where it covers the view, else the coarse one. */
  stretchFor({ from, to }: Span): Stretch | undefined {
    const { fine } = this;
    return fine && fine.from <= from && fine.to >= Math.min(to, this.frames) - 1 ? fine : this.coarse;
  }

  close(): void {
    this.asking.abort();
  }
}

/** Lowest, highest and RMS of a channel between two frames; null where the stretch says nothing. Full scale 1. */
export function extremesOf(
  stretch: Stretch,
  channel: number,
  from: number,
  to: number,
): [number, number, number] | null {
  if (stretch.kind === 'samples') {
    const samples = stretch.planar[channel];
    const first = Math.floor(from) - stretch.from;
    const last = Math.max(first + 1, Math.ceil(to) - stretch.from);
    if (!samples || first < 0 || first >= samples.length) return null;
    let [low, high, squares, count] = [Infinity, -Infinity, 0, 0];
    for (let at = first; at < last && at < samples.length; at += 1) {
      const value = samples[at] as number;
      if (value < low) low = value;
      if (value > high) high = value;
      squares += value * value;
      count += 1;
    }
    return [low, high, Math.sqrt(squares / count)];
  }
  const { buckets, values, channels } = stretch;
  const scale = buckets / (stretch.to - stretch.from);
  const first = Math.floor((from - stretch.from) * scale);
  const last = Math.max(first + 1, Math.ceil((to - stretch.from) * scale));
  if (first < 0 || first >= buckets) return null;
  let [low, high, loudest] = [127, -127, 0];
  for (let bucket = first; bucket < last && bucket < buckets; bucket += 1) {
    const at = (bucket * channels + channel) * PEAK_BYTES;
    low = Math.min(low, ((values[at] as number) << 24) >> 24);
    high = Math.max(high, ((values[at + 1] as number) << 24) >> 24);
    loudest = Math.max(loudest, values[at + 2] as number);
  }
  return [low / 127, high / 127, loudest / 255];
}
