import { AppError } from '@flagstone/core/errors';
import { fullAudioDigest } from '@flagstone/core/audio/digest';
import { memorySource } from '@flagstone/core/formats/byte-source';
import { describeFile } from '@flagstone/core/formats/describe-file';
import { planWrite } from '@flagstone/core/formats/plan-write';
import { applyPlan } from '@flagstone/core/formats/write-plan';
import { readAudio, sha256 } from '@flagstone/server/disk/read-audio';
import { mutate, randomNumbers } from './mutate.ts';
import { FUZZ_RECORD, seedFiles } from './seed-files.ts';

export interface FuzzResult {
  inputs: number;
  readable: number;
  written: number;
  slowestMs: number;
  slowestInput: number;
}

const typed = (error: unknown): undefined => {
  if (error instanceof AppError) return undefined;
  throw error;
};

/**
 * Reads, describes and writes mutated files, the same ones for the same seed. Each gives a result or an AppError; one that can be written
 * keeps its audio and is read back with the record. Throws with the seed and the number of the input otherwise.
 */
export async function fuzzFormats(inputs: number, seed: number): Promise<FuzzResult> {
  const seeds = await seedFiles();
  const random = randomNumbers(seed);
  const result: FuzzResult = { inputs, readable: 0, written: 0, slowestMs: 0, slowestInput: 0 };
  for (let input = 0; input < inputs; input += 1) {
    const bytes = mutate(seeds[random(seeds.length)] ?? Uint8Array.of(0), random);
    const started = performance.now();
    try {
      if (await attempt(bytes)) result.written += 1;
      result.readable += 1;
    } catch (error) {
      if (!(error instanceof AppError)) {
        const hex = Buffer.from(bytes.subarray(0, 64)).toString('hex');
        throw new Error(`input ${input} of seed ${seed} (${bytes.length} bytes, ${hex}…)`, { cause: error });
      }
    }
    const taken = performance.now() - started;
    if (taken > result.slowestMs) Object.assign(result, { slowestMs: taken, slowestInput: input });
  }
  return result;
}

/** Whether the file could be written too. Throws an AppError when it cannot be read. */
async function attempt(bytes: Uint8Array): Promise<boolean> {
  const source = memorySource(bytes);
  const { facts } = await readAudio(source);
  await describeFile(source).catch(typed);
  const plan = (await planWrite(source, FUZZ_RECORD).catch(typed))?.plan;
  if (!plan) return false;
  const now = applyPlan(bytes, plan);
  const after = await readAudio(memorySource(now));
  const digests = await Promise.all(
    [[source, facts] as const, [memorySource(now), after.facts] as const].map(([from, of]) =>
      fullAudioDigest(from, of, sha256()),
    ),
  );
  if (digests[0] !== digests[1]) throw new Error('the audio would be another one');
  if (after.record.fxName !== FUZZ_RECORD.fxName) throw new Error(`it reads back “${after.record.fxName}”`);
  return true;
}
