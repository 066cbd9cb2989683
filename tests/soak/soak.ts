import { readFile } from 'node:fs/promises';
import type { SoundRow } from '@flagstone/contract/record';
import { randomNumbers } from '../fuzz/mutate.ts';
import type { RunningServer } from '../running-server.ts';
import { asking } from './asking.ts';

export interface SoakResult {
  requests: number;
  seconds: number;
  slowestMs: number;
  peakMemoryBytes: number;
  /** What went otherwise than the model says; empty when all is well. */
  faults: string[];
}

/** What the collection has to say at the end. */
interface Model {
  keywords: Map<number, Set<string>>;
  tags: Map<number, Map<number, Set<string>>>;
  entries: number;
  locations: Map<number, Set<string>>;
}

/**
 * So many people edit, tag, pull, search and listen at random for a while, all at once, on a server whose sounds are read already; what they did is kept in a model,
 * with which the collection is compared at the end. Everybody adds words of their own, so that the order in which they come says nothing.
 */
export async function soak(
  server: RunningServer,
  batchId: number,
  { people = 20, seconds, seed }: { people?: number; seconds: number; seed: number },
): Promise<SoakResult> {
  const result: SoakResult = { requests: 0, seconds, slowestMs: 0, peakMemoryBytes: 0, faults: [] };
  const two = [server.headers, await server.addPerson(`Soak ${seed}`, `soak-${seed}`)];
  const ask = asking(
    server,
    (person) => two[person % 2],
    result,
    ({ what, status, text }) => result.faults.push(`${what}: ${status} ${text.slice(0, 200)}`),
  );
  const rowsNow = async (): Promise<SoundRow[]> =>
    (await ask<{ rows: SoundRow[] }>(0, 'GET', `/batches/${batchId}/rows?limit=500`))?.rows ?? [];
  const rows = await rowsNow();
  const lists = await ask<{ id: number; name: string }[]>(0, 'POST', '/pull-lists', { name: `Soak ${seed}` });
  const listId = lists?.[0]?.id ?? 0;
  const model: Model = { keywords: new Map(), tags: new Map(), entries: 0, locations: new Map() };
  const among = <Key, Value>(map: Map<Key, Value>, key: Key, empty: () => Value): Value => {
    const value = map.get(key) ?? empty();
    map.set(key, value);
    return value;
  };
  const until = performance.now() + seconds * 1000;

  const onePerson = async (person: number): Promise<void> => {
    const random = randomNumbers(seed * 1000 + person);
    const some = (): SoundRow[] => Array.from({ length: 1 + random(4) }, () => rows[random(rows.length)] as SoundRow);
    const own = new Map<number, Set<string>>();
    for (let step = 0; performance.now() < until; step += 1) {
      const chosen = some();
      const selection = { kind: 'copies', copyIds: chosen.map(({ copyId }) => copyId) };
      const [first] = chosen as [SoundRow];
      const word = `p${person}w${step}`;
      switch (random(10)) {
        case 0:
        case 1:
          if (await ask(person, 'PATCH', '/records', { selection, edit: { addKeywords: [word] } }))
            for (const { soundId } of chosen) {
              among(model.keywords, soundId, () => new Set<string>()).add(word);
              among(own, soundId, () => new Set<string>()).add(word);
            }
          break;
        case 2: {
          const [soundId, words] = [...own][random(own.size || 1)] ?? [];
          const [taken] = words ?? [];
          const copyId = rows.find((row) => row.soundId === soundId)?.copyId;
          if (soundId === undefined || taken === undefined || copyId === undefined) break;
          const edit = { removeKeywords: [taken] };
          if (await ask(person, 'PATCH', '/records', { selection: { kind: 'copies', copyIds: [copyId] }, edit })) {
            words?.delete(taken);
            model.keywords.get(soundId)?.delete(taken);
          }
          break;
        }
        case 3:
          for (const { soundId } of chosen) among(model.locations, soundId, () => new Set([''])).add(word);
          await ask(person, 'PATCH', '/records', { selection, edit: { set: { location: word } } });
          break;
        case 4:
          if (await ask(person, 'POST', '/marks', { selection, addTags: [word] }))
            for (const { soundId } of chosen)
              among(
                among(model.tags, soundId, () => new Map<number, Set<string>>()),
                1 + (person % 2),
                () => new Set<string>(),
              ).add(word);
          break;
        case 5: {
          const body = { soundId: first.soundId, part: null, tryOut: null, comment: word };
          if (await ask(person, 'POST', `/pull-lists/${listId}/entries`, body)) model.entries += 1;
          break;
        }
        case 6:
          await ask(person, 'GET', `/catalogue?q=${encodeURIComponent(first.name.split(' ')[0] ?? '')}&limit=50`);
          break;
        case 7:
          await ask(person, 'GET', `/sounds/${first.soundId}/peaks?buckets=200`);
          break;
        case 8:
          await ask(person, 'POST', '/plans', { kind: random(2) === 0 ? 'rename' : 'write', selection });
          break;
        default:
          await ask(person, 'GET', `/copies/${first.copyId}/audio`);
      }
    }
  };
  await Promise.all(Array.from({ length: people }, (_, person) => onePerson(person)));

  for (const { soundId, record, marks } of await rowsNow()) {
    const fault = (what: string, is: unknown, wanted: unknown): unknown =>
      result.faults.push(`${what} of sound ${soundId} is ${JSON.stringify(is)}, not ${JSON.stringify(wanted)}`);
    const wanted = [...(model.keywords.get(soundId) ?? [])].sort();
    const words = record.keywords.filter((word) => /^p\d+w\d+$/.test(word)).sort();
    if (words.join() !== wanted.join()) fault('keywords', words, wanted);
    if (!(model.locations.get(soundId) ?? new Set([''])).has(record.location))
      fault('location', record.location, 'said');
    for (const [personId, tags] of model.tags.get(soundId) ?? []) {
      const now = marks.find((mark) => mark.personId === personId)?.tags ?? [];
      if ([...now].sort().join() !== [...tags].sort().join()) fault('tags', now, [...tags]);
    }
  }
  const entries = (await ask<unknown[]>(0, 'GET', `/pull-lists/${listId}/entries`)) ?? [];
  if (entries.length !== model.entries) result.faults.push(`${entries.length} entries, not ${model.entries}`);
  const status = await readFile(`/proc/${server.pid}/status`, 'utf8');
  result.peakMemoryBytes = Number(/VmHWM:\s+(\d+) kB/.exec(status)?.[1] ?? 0) * 1024;
  return result;
}
