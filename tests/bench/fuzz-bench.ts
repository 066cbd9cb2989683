import { parseArgs } from 'node:util';
import { fuzzFormats } from '../fuzz/fuzz-formats.ts';

/** `bench fuzz [--inputs 200000] [--seed N]`: mutated files of every container; fails on a crash, on more than 100 ms for one, on 64 MB more memory. */
const { values } = parseArgs({
  options: { inputs: { type: 'string', default: '200000' }, seed: { type: 'string', default: '1' } },
});
const MAX_MS = 100;
const MAX_GROWTH_BYTES = 64 * 1024 * 1024;

await fuzzFormats(2000, 999);
const before = process.resourceUsage().maxRSS * 1024;
const started = performance.now();
const { inputs, readable, written, slowestMs, slowestInput } = await fuzzFormats(
  Number(values.inputs),
  Number(values.seed),
);
const seconds = (performance.now() - started) / 1000;
const growth = process.resourceUsage().maxRSS * 1024 - before;
process.stdout.write(
  `${inputs} mutated files in ${seconds.toFixed(1)} s (${Math.round(inputs / seconds)}/s): ${readable} readable, ${written} written and read back, ` +
    `slowest ${slowestMs.toFixed(1)} ms (input ${slowestInput}), peak memory +${(growth / 1e6).toFixed(1)} MB\n`,
);
if (slowestMs > MAX_MS || growth > MAX_GROWTH_BYTES) process.exitCode = 1;
