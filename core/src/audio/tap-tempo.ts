/** A pause after which tapping begins anew, seconds: slower than 30 beats a minute nobody taps. */
const PAUSE_SECONDS = 2;
/** Beats that count; older ones are forgotten, so that a tempo that is found late is not held by the first taps. */
const LAST_BEATS = 8;

/** A tempo that is tapped in time: the median of the last beats, which one tap that is early or late does not change. */
export class TapTempo {
  private taps: number[] = [];

  /** Takes a tap at a time in seconds and returns the tempo in beats a minute; null until there are two in a row. */
  tap(seconds: number): number | null {
    const last = this.taps.at(-1);
    if (last !== undefined && (seconds - last > PAUSE_SECONDS || seconds <= last)) this.taps = [];
    this.taps = [...this.taps, seconds].slice(-LAST_BEATS - 1);
    const beats = this.taps.slice(1).map((tap, index) => tap - (this.taps[index] as number));
    if (beats.length === 0) return null;
    const sorted = beats.sort((a, b) => a - b);
    const middle = sorted.length / 2;
    const median = ((sorted[Math.ceil(middle) - 1] as number) + (sorted[Math.floor(middle)] as number)) / 2;
    return 60 / median;
  }

  /** How many taps count. */
  get count(): number {
    return this.taps.length;
  }
}
