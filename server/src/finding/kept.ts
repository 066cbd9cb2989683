import type { AppContext } from '../app-context.ts';
import { forAll } from '../db/while-waited.ts';

/** An answer is kept for so many times as long as it took: small catalogues are counted afresh, a million sounds now and then. */
const KEPT_FACTOR = 10;
/** What takes less, in milliseconds, is not kept at all. */
const WORTH_KEEPING = 50;

interface Kept<Value> {
  value: Promise<Value>;
  /** Until when it is good enough, in milliseconds of performance.now(). */
  until: number;
}

/** Something that is worked out over the whole catalogue, kept for a while in proportion to what it cost. */
export function keptAnswer<Value>(work: (app: AppContext) => Promise<Value>): (app: AppContext) => Promise<Value> {
  const kept = new WeakMap<AppContext, Kept<Value>>();
  return (app) => {
    const known = kept.get(app);
    if (known && performance.now() < known.until) return known.value;
    const started = performance.now();
    const entry: Kept<Value> = { value: forAll(() => work(app)), until: Infinity };
    kept.set(app, entry);
    const setUntil = (): void => {
      const took = performance.now() - started;
      entry.until = took < WORTH_KEEPING ? 0 : performance.now() + took * KEPT_FACTOR;
    };
    // One that failed is asked for again at once.
    entry.value.then(setUntil, () => kept.delete(app));
    return entry.value;
  };
}
