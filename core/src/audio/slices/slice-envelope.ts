import { EnergyEnvelope } from '../measure/energy-envelope.ts';
import { GrowingNumbers } from '../measure/growing-numbers.ts';

/** What slices are found by: the energy of a sound in bins of about a millisecond, and where it crosses zero. */
export interface SliceEnvelope {
  sampleRateHz: number;
  frames: number;
  binFrames: number;
  /** Mean square of all channels, a value a bin. */
  energies: Float32Array;
  /** The frame of the first change of sign in each bin, of all channels together, counted from the bin's start; -1 where there is none. */
  crossings: Float32Array;
}

/** Gathers the envelope from planar samples that arrive in blocks of any length. */
export class SliceEnvelopeGatherer {
  private readonly energy: EnergyEnvelope;
  private readonly crossings = new GrowingNumbers();
  private readonly sampleRateHz: number;
  private frame = 0;
  private last = 0;
  private found = -1;

  constructor(sampleRateHz: number, channels: number) {
    this.sampleRateHz = sampleRateHz;
    this.energy = new EnergyEnvelope(sampleRateHz, channels);
  }

  add(planar: readonly Float32Array[], frames: number): void {
    this.energy.add(planar, frames);
    const { binFrames } = this.energy;
    for (let index = 0; index < frames; index += 1) {
      let sum = 0;
      for (const samples of planar) sum += samples[index] as number;
      const inBin = this.frame % binFrames;
      // Silence counts as a crossing too: nothing clicks there.
      if (this.found < 0 && (sum === 0 || sum * this.last < 0)) this.found = inBin;
      this.last = sum;
      this.frame += 1;
      if (inBin === binFrames - 1) this.endBin();
    }
  }

  private endBin(): void {
    this.crossings.push(this.found);
    this.found = -1;
  }

  finish(): SliceEnvelope {
    if (this.frame % this.energy.binFrames !== 0) this.endBin();
    const { binFrames } = this.energy;
    return {
      sampleRateHz: this.sampleRateHz,
      frames: this.frame,
      binFrames,
      energies: this.energy.finish(),
      crossings: this.crossings.values(),
    };
  }
}
