/** Seeds of the channels: any numbers that differ. The noise is the same each time, so that the same delivery made twice is the same, bit by bit. */
const FIRST_SEED = 0x2545f491;
const SEED_STEP = 0x9e3779b9;

/**
 * Dither of triangular density, two steps of the new depth wide, white, of its own for each channel: the error of rounding is then noise of a quarter of a step squared,
 * whatever the sound does (Lipshitz, Wanamaker and Vanderkooy, “Quantization and Dither: A Theoretical Survey”, JAES 1992).
 */
export class Dither {
  private readonly states: Uint32Array;
  private readonly step: number;

  constructor(channels: number, bitDepth: number) {
    this.states = Uint32Array.from({ length: channels }, (_, channel) => FIRST_SEED + channel * SEED_STEP);
    this.step = 2 ** (1 - bitDepth);
  }

  /** Adds it to samples of full scale 1, in place. */
  add(planar: readonly Float32Array[], frames: number): void {
    for (const [channel, samples] of planar.entries()) {
      let state = this.states[channel] as number;
      // Numbers of 32 bits by xorshift (Marsaglia, “Xorshift RNGs”, 2003), as -1/2 to 1/2.
      const next = (): number => {
        state ^= state << 13;
        state ^= state >>> 17;
        state ^= state << 5;
        return (state | 0) / 2 ** 32;
      };
      for (let frame = 0; frame < frames; frame += 1)
        samples[frame] = (samples[frame] as number) + (next() + next()) * this.step;
      this.states[channel] = state;
    }
  }
}
