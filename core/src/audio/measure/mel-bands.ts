export const MEL_BANDS = 24;
const LOWEST_HZ = 30;
const HIGHEST_HZ = 16_000;

/** O'Shaughnessy's formula for the mel scale. */
const mel = (hertz: number): number => 2595 * Math.log10(1 + hertz / 700);

/** Sums power into triangular bands that lie evenly on the mel scale, from 30 Hz to 16 kHz or to half the rate. */
export class MelBands {
  /** The bins between the middles of two neighbouring bands, and how much of each belongs to the upper one; the rest is the lower one's. */
  private readonly edges: Int32Array;
  private readonly shares: Float64Array;

  constructor(sampleRateHz: number, bins: number) {
    const low = mel(LOWEST_HZ);
    const high = mel(Math.min(HIGHEST_HZ, sampleRateHz / 2));
    const placeOf = (bin: number): number =>
      ((mel((bin * sampleRateHz) / 2 / bins) - low) / (high - low)) * (MEL_BANDS + 1);
    this.shares = Float64Array.from({ length: bins }, (_, bin) => placeOf(bin) - Math.floor(placeOf(bin)));
    const firstAt = (place: number): number => {
      let bin = 1;
      while (bin < bins && placeOf(bin) < place) bin += 1;
      return bin;
    };
    this.edges = Int32Array.from({ length: MEL_BANDS + 2 }, (_, place) => firstAt(place));
  }

  /** Writes the power in each band. */
  sum(power: Float64Array, into: Float64Array): void {
    let fromBelow = 0;
    for (let place = 0; place <= MEL_BANDS; place += 1) {
      let [upper, all] = [0, 0];
      for (let bin = this.edges[place] as number; bin < (this.edges[place + 1] as number); bin += 1) {
        const value = power[bin] as number;
        upper += value * (this.shares[bin] as number);
        all += value;
      }
      // Band n rises from place n to n + 1 and falls to n + 2.
      if (place > 0) into[place - 1] = fromBelow + all - upper;
      fromBelow = upper;
    }
  }
}

/** The discrete cosine transform (type II) of the bands' levels in dB: coefficients 0 up to `count`, the spectrum's shape from coarse to fine. */
export class CosineTransform {
  private readonly table: Float64Array;
  private readonly count: number;

  constructor(count: number) {
    this.count = count;
    this.table = Float64Array.from({ length: count * MEL_BANDS }, (_, index) => {
      const [row, band] = [Math.floor(index / MEL_BANDS), index % MEL_BANDS];
      return (
        (Math.cos((Math.PI * row * (band + 0.5)) / MEL_BANDS) * (row === 0 ? Math.SQRT1_2 : 1)) /
        Math.sqrt(MEL_BANDS / 2)
      );
    });
  }

  apply(levels: Float64Array, into: Float64Array): void {
    for (let row = 0; row < this.count; row += 1) {
      let sum = 0;
      for (let band = 0; band < MEL_BANDS; band += 1)
        sum += (levels[band] as number) * (this.table[row * MEL_BANDS + band] as number);
      into[row] = sum;
    }
  }
}
