import type { PullEntry } from '@flagstone/contract/pull-lists';

export interface ListTotals {
  /** Of the parts that are meant, as the sounds are: what was tried out may be longer or shorter. */
  seconds: number;
  /** Of the files, each once however often it is in the list. */
  bytes: number;
  /** How often each sound is in it, of those that are in more than once. */
  repeated: ReadonlyMap<number, number>;
}

/** How long the entries of a list are together, how large their files are, and which sounds are in more than once. */
export function listTotals(entries: readonly Pick<PullEntry, 'row' | 'part'>[]): ListTotals {
  const times = new Map<number, number>();
  const sizes = new Map<number, number>();
  let seconds = 0;
  for (const { row, part } of entries) {
    const { sampleRateHz, durationSeconds } = row.facts;
    seconds += part ? (part.to - part.from) / sampleRateHz : durationSeconds;
    times.set(row.soundId, (times.get(row.soundId) ?? 0) + 1);
    sizes.set(row.soundId, row.sizeBytes);
  }
  const bytes = [...sizes.values()].reduce((sum, size) => sum + size, 0);
  return { seconds, bytes, repeated: new Map([...times].filter(([, count]) => count > 1)) };
}
