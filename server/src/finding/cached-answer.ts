import type { AppContext } from '../app-context.ts';
import { keyOf, type Sight } from '../rights/rights.ts';
import { forAll } from '../db/while-waited.ts';

/** Time to live, as a multiple of what the answer took: small catalogues are counted afresh, a million sounds now and then. */
const CACHE_FACTOR = 10;
/** Answers that take less, in milliseconds, are not cached. */
const WORTH_CACHING = 50;
const MOST_SIGHTS = 200;

interface Cached<Value> {
  value: Promise<Value>;
  /** When it expires, in milliseconds of performance.now(). */
  until: number;
}

/** A cached aggregate over all that somebody sees of the catalogue; its time to live is in proportion to its cost. */
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
    // A failure is not cached.
    entry.value.then(setUntil, () => answers.delete(key));
    return entry.value;
  };
}
