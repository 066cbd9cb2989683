import { PEAK_BYTES } from '@flagstone/core/audio/peaks';
import type { PeaksPicture } from '../api/peaks.ts';

/** How a waveform is to be drawn. `played` is the part from 0 to 1 in the other colour. */
export interface WaveStyle {
  /** One lane for each channel, or all channels in one. */
  lanes: 'channels' | 'one';
  played: number;
}

/** Draws peaks over the whole canvas, sharp on every screen. Colours come from the theme. */
export function drawPeaks(canvas: HTMLCanvasElement, picture: PeaksPicture, style: WaveStyle): void {
  const ratio = window.devicePixelRatio;
  const [width, height] = [canvas.clientWidth, canvas.clientHeight];
  if (width === 0 || height === 0) return;
  canvas.width = Math.round(width * ratio);
  canvas.height = Math.round(height * ratio);
  const context = canvas.getContext('2d');
  if (!context) return;
  const theme = getComputedStyle(canvas);
  const colour = (name: string): string => theme.getPropertyValue(name);
  const plain = { rms: colour('--wave'), peak: colour('--wave-soft') };
  const played = { rms: colour('--wave-played'), peak: colour('--wave-played-soft') };
  context.scale(ratio, ratio);
  const { channels, buckets, values } = picture;
  const lanes = style.lanes === 'channels' ? channels : 1;
  const laneHeight = height / lanes;
  for (let lane = 0; lane < lanes; lane += 1) {
    const middle = laneHeight * (lane + 0.5);
    for (let x = 0; x < width; x += 1) {
      const first = Math.floor((x * buckets) / width);
      const last = Math.max(first + 1, Math.floor(((x + 1) * buckets) / width));
      let [low, high, loudest] = [0, 0, 0];
      for (let bucket = first; bucket < last && bucket < buckets; bucket += 1) {
        for (let channel = 0; channel < channels; channel += 1) {
          if (lanes > 1 && channel !== lane) continue;
          const at = (bucket * channels + channel) * PEAK_BYTES;
          low = Math.min(low, signed(values[at] ?? 0));
          high = Math.max(high, signed(values[at + 1] ?? 0));
          loudest = Math.max(loudest, values[at + 2] ?? 0);
        }
      }
      const scale = (laneHeight / 2 - 0.5) / 127;
      const colours = x < style.played * width ? played : plain;
      context.fillStyle = colours.peak;
      context.fillRect(x, middle - high * scale, 1, Math.max(0.75, (high - low) * scale));
      // The RMS stands darker inside the peaks: what is loud, not only what is high.
      const rms = (loudest / 255) * 127 * scale;
      context.fillStyle = colours.rms;
      context.fillRect(
        x,
        middle - Math.min(rms, high * scale),
        1,
        Math.min(rms, high * scale) + Math.min(rms, -low * scale),
      );
    }
  }
}

function signed(byte: number): number {
  return (byte << 24) >> 24;
}
