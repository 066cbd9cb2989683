import type { AppContext } from '../app-context.ts';
import { keyOf, type Sight } from '../rights/rights.ts';
import { forAll } from '../db/while-waited.ts';

/** An answer is kept for so many times as long as it took: small catalogues are counted afresh, a million sounds now and then. */
const CACHE_FACTOR = 10;
/** What takes less, in milliseconds, is not kept at all. */
const WORTH_CACHING = 50;
const MOST_SIGHTS = 200;

interface Cached<Value> {
  value: Promise<Value>;
  /** Until when it is good enough, in milliseconds of performance.now(). */
  until: number;
}

/** Something that is worked out over all that somebody sees of the catalogue, kept for a while in proportion to what it cost. */
export function cachedAnswer<Value>(
  work: (app: AppContext, sight: Sight) => Promise<Value>,
): (app: AppContext, sight: Sight) => Promise<Value> {
  const cache = new WeakMap<AppContext, Map<string, Cached<Value>>>();
  return (app, sight) => {
    const answers = cache.get(app) ?? new Map<string, Cached<Value>>();
    cache.set(app, answers);
    const key = keyOf(sight);
    const known = answers.get(key);
    if (known && performance.now() < known.until) return known.value;
    const started = performance.now();
    const entry: Cached<Value> = { value: forAll(() => work(app, sight)), until: Infinity };
    if (answers.size >= MOST_SIGHTS) answers.clear();
    answers.set(key, entry);
    const setUntil = (): void => {
      const took = performance.now() - started;
      entry.until = took < WORTH_CACHING ? 0 : performance.now() + took * CACHE_FACTOR;
    };
    // One that failed is asked for again at once.
    entry.value.then(setUntil, () => answers.delete(key));
    return entry.value;
  };
}
