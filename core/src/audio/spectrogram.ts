import { PowerSpectrum } from './measure/power-spectrum.ts';

export interface SpectrogramShape {
  sampleRateHz: number;
  /** Samples of a window, a power of two. */
  size: number;
  rows: number;
  scale: 'log' | 'linear';
}

/** What 0 stands for in a spectrogram's bytes, dB; 255 is the power of a full-scale sine. */
export const SPECTROGRAM_FLOOR_DB = -120;
/** Where a logarithmic scale begins. */
const LOWEST_HZ = 20;

/** The frequency at the lower edge of a row, counted from the lowest up; `rows` itself is the top. */
export function rowHertz({ sampleRateHz, rows, scale }: Omit<SpectrogramShape, 'size'>, row: number): number {
  const top = sampleRateHz / 2;
  return scale === 'linear' ? (top * row) / rows : LOWEST_HZ * (top / LOWEST_HZ) ** (row / rows);
}

/** Columns of a spectrogram: Hann windows, each bin's power against that of a full-scale sine. */
export class Spectrogrammer {
  private readonly shape: SpectrogramShape;
  private readonly spectrum: PowerSpectrum;
  private readonly window: Float64Array;
  private readonly windowed: Float64Array;
  private readonly power: Float64Array;
  private readonly edges: number[];

  constructor(shape: SpectrogramShape) {
    const { size, rows, sampleRateHz } = shape;
    this.shape = shape;
    this.spectrum = new PowerSpectrum(size);
    // A full-scale sine then has the power 1 in its bin: half of the window's sum is its amplitude there.
    this.window = Float64Array.from(
      { length: size },
      (_, at) => (0.5 - 0.5 * Math.cos((2 * Math.PI * at) / size)) / (size / 4),
    );
    this.windowed = new Float64Array(size);
    this.power = new Float64Array(size / 2);
    this.edges = Array.from({ length: rows + 1 }, (_, row) => (rowHertz(shape, row) * size) / sampleRateHz);
  }

  /** The power of each bin of a window. */
  powerOf(samples: Float32Array): Float64Array {
    for (let at = 0; at < this.shape.size; at += 1)
      this.windowed[at] = (samples[at] ?? 0) * (this.window[at] as number);
    this.spectrum.measure(this.windowed, this.power);
    return this.power;
  }

  /** One byte a row, lowest frequency first, for a window of samples: the loudest bin of the row. */
  column(samples: Float32Array): Uint8Array {
    const power = this.powerOf(samples);
    const top = power.length - 1;
    return Uint8Array.from({ length: this.shape.rows }, (_, row) => {
      const [low, high] = [this.edges[row] as number, this.edges[row + 1] as number];
      const [first, last] = [Math.ceil(low), Math.min(top, Math.floor(high))];
      let most = 0;
      if (last >= first) for (let bin = first; bin <= last; bin += 1) most = Math.max(most, power[bin] as number);
      else {
        // Rows narrower than a bin lie between two of them.
        const middle = Math.min(top - 1e-6, (low + high) / 2);
        const bin = Math.floor(middle);
        const [here, next] = [power[bin] as number, power[Math.min(top, bin + 1)] as number];
        most = here + (middle - bin) * (next - here);
      }
      const db = 10 * Math.log10(most + 1e-20);
      return Math.max(0, Math.min(255, Math.round(255 * (1 - db / SPECTROGRAM_FLOOR_DB))));
    });
  }
}
