import type { SoundCurves } from './sound-curves.ts';
import { extremesOf, type Span, type Stretch } from './wave-data.ts';

export interface WaveLook {
  view: Span;
  sampleRateHz: number;
  curves: SoundCurves | undefined;
}

/** Brightness from 200 Hz up to 8 kHz goes through the colours; in bytes of the kept curve, 24 steps to the octave from 20 Hz. */
const DULL_STEP = 24 * Math.log2(200 / 20);
const BRIGHT_STEP = 24 * Math.log2(8000 / 20);
const SHADES = 24;

let shades: { key: string; colours: string[] } | undefined;

/** Colours from dull to bright, mixed once for each theme. */
function shadesOf(theme: CSSStyleDeclaration): string[] {
  const [dull, middling, bright] = ['--dull', '--middling', '--bright'].map((name) =>
    rgbOf(theme.getPropertyValue(name).trim()),
  );
  const key = JSON.stringify([dull, middling, bright]);
  if (shades?.key === key) return shades.colours;
  const mix = (a: number[] = [], b: number[] = [], share: number): string =>
    `rgb(${a.map((value, at) => Math.round(value + ((b[at] ?? 0) - value) * share)).join(' ')})`;
  const colours = Array.from({ length: SHADES }, (_, at) => {
    const share = at / (SHADES - 1);
    return share < 0.5 ? mix(dull, middling, share * 2) : mix(middling, bright, share * 2 - 1);
  });
  shades = { key, colours };
  return colours;
}

function rgbOf(hex: string): number[] {
  return [1, 3, 5].map((at) => Number.parseInt(hex.slice(at, at + 2), 16));
}

function shadeAt(curves: SoundCurves | undefined, seconds: number): number {
  if (!curves || curves.brightness.length === 0) return Math.floor(SHADES / 2);
  const at = Math.min(curves.brightness.length - 1, Math.max(0, Math.floor(seconds / curves.brightnessHopSeconds)));
  const share = ((curves.brightness[at] ?? 0) - DULL_STEP) / (BRIGHT_STEP - DULL_STEP);
  return Math.max(0, Math.min(SHADES - 1, Math.round(share * (SHADES - 1))));
}

/** Fits a canvas to its place on the screen and clears it; undefined while it has no size. */
export function clearedContext(canvas: HTMLCanvasElement): CanvasRenderingContext2D | undefined {
  const ratio = window.devicePixelRatio;
  const [width, height] = [Math.round(canvas.clientWidth * ratio), Math.round(canvas.clientHeight * ratio)];
  if (width === 0 || height === 0) return undefined;
  if (canvas.width !== width || canvas.height !== height) {
    canvas.width = width;
    canvas.height = height;
  }
  const context = canvas.getContext('2d');
  if (!context) return undefined;
  context.setTransform(ratio, 0, 0, ratio, 0, 0);
  context.clearRect(0, 0, canvas.clientWidth, canvas.clientHeight);
  return context;
}

/** Draws a part of a waveform, a lane for each channel, in the colour of how bright it sounds there; the RMS stands stronger in the peaks. */
export function drawWave(canvas: HTMLCanvasElement, stretch: Stretch, { view, sampleRateHz, curves }: WaveLook): void {
  const context = clearedContext(canvas);
  if (!context) return;
  const [width, height] = [canvas.clientWidth, canvas.clientHeight];
  const theme = getComputedStyle(canvas);
  const colours = shadesOf(theme);
  const framesAPixel = (view.to - view.from) / width;
  const lanes = Math.max(1, stretch.channels);
  const laneHeight = height / lanes;
  const half = laneHeight / 2 - 1;
  context.fillStyle = theme.getPropertyValue('--hairline');
  for (let lane = 0; lane < lanes; lane += 1) context.fillRect(0, laneHeight * (lane + 0.5), width, 1);
  if (stretch.kind === 'samples' && framesAPixel < 0.5)
    return drawLine(context, stretch, { view, colour: colours.at(-4) ?? '', width, laneHeight });
  for (let x = 0; x < width; x += 1) {
    const from = view.from + x * framesAPixel;
    context.fillStyle = colours[shadeAt(curves, (from + framesAPixel / 2) / sampleRateHz)] ?? '';
    for (let lane = 0; lane < lanes; lane += 1) {
      const extremes = extremesOf(stretch, lane, from, from + framesAPixel);
      if (!extremes) continue;
      const [low, high, rms] = extremes;
      const middle = laneHeight * (lane + 0.5);
      context.globalAlpha = 0.5;
      context.fillRect(x, middle - high * half, 1, Math.max(1, (high - low) * half));
      context.globalAlpha = 1;
      const [up, down] = [Math.min(rms, Math.max(0, high)), Math.min(rms, Math.max(0, -low))];
      context.fillRect(x, middle - up * half, 1, (up + down) * half);
    }
  }
}

/** Single samples, joined, each with a dot where there is room for it. */
function drawLine(
  context: CanvasRenderingContext2D,
  { planar, from: start }: Extract<Stretch, { kind: 'samples' }>,
  { view, colour, width, laneHeight }: { view: Span; colour: string; width: number; laneHeight: number },
): void {
  const pixelsAFrame = width / (view.to - view.from);
  const half = laneHeight / 2 - 1;
  context.strokeStyle = colour;
  context.fillStyle = colour;
  planar.forEach((samples, lane) => {
    const middle = laneHeight * (lane + 0.5);
    context.beginPath();
    for (
      let frame = Math.max(start, Math.floor(view.from) - 1);
      frame <= view.to + 1 && frame - start < samples.length;
      frame += 1
    ) {
      const [x, y] = [(frame - view.from) * pixelsAFrame, middle - (samples[frame - start] as number) * half];
      context.lineTo(x, y);
      if (pixelsAFrame > 6) context.fillRect(x - 1.5, y - 1.5, 3, 3);
    }
    context.stroke();
  });
}
