import type { AppContext } from '../app-context.ts';
import { forAll } from '../db/while-waited.ts';

/** An answer is kept for so many times as long as it took: small catalogues are counted afresh, a million sounds now and then. */
const CACHE_FACTOR = 10;
/** What takes less, in milliseconds, is not kept at all. */
const WORTH_CACHING = 50;

interface Cached<Value> {
  value: Promise<Value>;
  /** Until when it is good enough, in milliseconds of performance.now(). */
  until: number;
}

/** Something that is worked out over the whole catalogue, kept for a while in proportion to what it cost. */
export function cachedAnswer<Value>(work: (app: AppContext) => Promise<Value>): (app: AppContext) => Promise<Value> {
  const cache = new WeakMap<AppContext, Cached<Value>>();
  return (app) => {
    const known = cache.get(app);
    if (known && performance.now() < known.until) return known.value;
    const started = performance.now();
    const entry: Cached<Value> = { value: forAll(() => work(app)), until: Infinity };
    cache.set(app, entry);
    const setUntil = (): void => {
      const took = performance.now() - started;
      entry.until = took < WORTH_CACHING ? 0 : performance.now() + took * CACHE_FACTOR;
    };
    // One that failed is asked for again at once.
    entry.value.then(setUntil, () => cache.delete(app));
    return entry.value;
  };
}
