import os from 'node:os';
import { parseArgs } from 'node:util';
import { rounded } from '@flagstone/core/audio/measure/rounded';
import { ERROR_REMEDIES } from '@flagstone/core/errors';
import { diskError } from '../disk/disk-errors.ts';
import { measureFile, type MeasuredFile } from '../disk/measure-file.ts';
import { linesOfInput, UsageError } from './usage.ts';

/**
 * `measure FILE... | measure -`: the analysis of each sound, one JSON object a line in the order of the files; `-` takes the files from standard
 * input. `--features` adds the vector by which sounds are compared, `--threads N` sets how many files are measured at once.
 */
export async function measure(args: string[]): Promise<number> {
  const { values, positionals } = parseArgs({
    args,
    allowPositionals: true,
    options: { features: { type: 'boolean' }, threads: { type: 'string' } },
  });
  const paths = positionals.length === 1 && positionals[0] === '-' ? await linesOfInput() : positionals;
  if (paths.length === 0) throw new UsageError('measure needs at least one FILE');
  const threads = Number(values.threads ?? os.availableParallelism());
  if (!Number.isInteger(threads) || threads < 1) throw new UsageError('--threads needs a number from 1 on');
  const pool =
    paths.length > 1 && threads > 1 ? new (await import('../workers/worker-pool.ts')).WorkerPool(threads) : undefined;
  const ahead: Promise<string>[] = [];
  let failed = 0;
  const measured = (path: string): Promise<string> =>
    (pool ? pool.measure(path) : measureFile(path)).then(
      (file) => lineOf(path, file, values.features === true),
      (error: unknown) => {
        failed += 1;
        const { code, message } = diskError(error, path);
        process.stderr.write(`${path}: ${message} ${ERROR_REMEDIES[code]}\n`);
        return '';
      },
    );
  for (const path of paths) {
    ahead.push(measured(path));
    if (ahead.length >= threads * 2 || !pool) process.stdout.write((await ahead.shift()) ?? '');
  }
  for (const line of ahead) process.stdout.write(await line);
  await pool?.close();
  return failed > 0 ? 1 : 0;
}

function lineOf(path: string, { measures, facts, audioDigest }: MeasuredFile, withFeatures: boolean): string {
  const { onsets, features, ...rest } = measures;
  const line = {
    path,
    audioDigest,
    sampleRateHz: facts.sampleRateHz,
    channels: facts.channels,
    ...rounded(rest),
    onsetsSeconds: rounded(onsets.map(({ seconds }) => seconds)),
    onsetStrengthsDb: rounded(onsets.map(({ strengthDb }) => strengthDb)),
    ...(withFeatures ? { features } : {}),
  };
  return `${JSON.stringify(line)}\n`;
}
