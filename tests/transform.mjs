import swcJest from '@swc/jest';

/**
 * Jest runs modules in a context of their own, where each look at a global costs a call out of the engine: loops over
 * samples that use `Math` took forty times as long there as outside. Each module gets a constant of its own instead.
 */
const PRELUDE = 'const Math = globalThis.Math;';
const withPrelude = (source) => (/\bMath\./u.test(source) ? PRELUDE + source : source);

/** The transformer of TypeScript for Jest. */
export default {
  createTransformer(options) {
    const swc = swcJest.createTransformer(options);
    return {
      ...swc,
      process: (source, file, how) => swc.process(withPrelude(source), file, how),
      processAsync: (source, file, how) => swc.processAsync(withPrelude(source), file, how),
      getCacheKey: (source, file, how) => swc.getCacheKey(withPrelude(source), file, how),
    };
  },
};
