import { readFile, readdir, rename, writeFile } from 'node:fs/promises';
import path from 'node:path';
import { fullAudioDigest } from '@flagstone/core/audio/digest';
import { memorySource } from '@flagstone/core/formats/byte-source';
import { planWrite } from '@flagstone/core/formats/plan-write';
import { applyPlan } from '@flagstone/core/formats/write-plan';
import { emptyRecord } from '@flagstone/core/record/fields';
import type { Job } from '@flagstone/contract/jobs';
import type { Plan, PlanItem } from '@flagstone/contract/plans';
import type { SoundRow } from '@flagstone/contract/record';
import { readAudio, sha256 } from '@flagstone/server/disk/read-audio';
import { randomNumbers } from '../fuzz/mutate.ts';
import type { RunningServer } from '../running-server.ts';
import { asking } from './asking.ts';

export interface TogetherResult {
  requests: number;
  slowestMs: number;
  /** What was refused since somebody else was there first, by code. */
  refused: Record<string, number>;
  /** Plans of writing that ran, how their items ended, and why those failed that did. */
  plans: number;
  items: Record<string, number>;
  failedItems: Record<string, number>;
  /** Files that another program wrote meanwhile. */
  writtenOutside: number;
  /** What is otherwise than it should be at the end; empty when all is well. */
  faults: string[];
}

/** What the server may say to somebody who came second. */
const REFUSALS = [
  'CONFLICT',
  'PLAN_NOT_RUNNABLE',
  'NOTHING_TO_PROVE',
  'NOTHING_SELECTED',
  'JOB_RUNNING',
  'ALREADY_READING',
];

interface Chosen {
  seconds: number;
  seed: number;
  people: number;
  /** Called now and then: the other process is killed, and started again. */
  disturb: () => Promise<void>;
}

/**
 * So many people edit, write, prove and read the same sounds at once while other programs write into the files, on a server with another process that takes jobs. Then all files are
 * written once more, with nobody else there: every copy has to be In step or say why, hold its audio, and carry every keyword that anybody gave.
 */
export async function workTogether(
  server: RunningServer,
  drive: string,
  batchId: number,
  { seconds, seed, people, disturb }: Chosen,
): Promise<TogetherResult> {
  const result: TogetherResult = {
    requests: 0,
    slowestMs: 0,
    refused: {},
    plans: 0,
    items: {},
    failedItems: {},
    writtenOutside: 0,
    faults: [],
  };
  const accounts = [server.headers];
  for (let person = 1; person < people; person += 1)
    accounts.push(await server.addPerson(`Person ${person}`, `person-${person}`));
  const ask = asking(
    server,
    (person) => accounts[person],
    result,
    ({ what, status, text }) => {
      const code = REFUSALS.find((each) => text.includes(`"code":"${each}"`));
      if (code === undefined) result.faults.push(`${what}: ${status} ${text.slice(0, 300)}`);
      else result.refused[code] = (result.refused[code] ?? 0) + 1;
    },
  );
  const rowsNow = async (): Promise<SoundRow[]> =>
    (await ask<{ rows: SoundRow[] }>(0, 'GET', `/batches/${batchId}/rows?limit=500`))?.rows ?? [];
  const jobsNow = async (): Promise<Job[]> => (await ask<Job[]>(0, 'GET', '/jobs')) ?? [];
  const pause = (ms: number) => new Promise((resolve) => setTimeout(resolve, ms));
  const quiet = async (): Promise<void> => {
    while ((await jobsNow()).some(({ state }) => state === 'waiting' || state === 'running')) await pause(200);
  };

  const rows = await rowsNow();
  const [first] = rows;
  if (!first) throw new Error('There is nothing to work on.');
  const names = (await readdir(drive)).sort();
  const digests = new Map<string, string>();
  for (const name of names) digests.set(name, await digestOf(await readFile(path.join(drive, name))));
  const keywords = new Map<number, Set<string>>();
  const ran: number[] = [];
  const until = performance.now() + seconds * 1000;

  const onePerson = async (person: number): Promise<void> => {
    const random = randomNumbers(seed * 1000 + person);
    for (let step = 0; performance.now() < until; step += 1) {
      const chosen = Array.from({ length: 1 + random(6) }, () => rows[random(rows.length)] as SoundRow);
      const selection = { kind: 'copies', copyIds: [...new Set(chosen.map(({ copyId }) => copyId))] };
      const word = `p${person}w${step}`;
      const doing = random(40);
      if (doing < 16) {
        if (await ask(person, 'PATCH', '/records', { selection, edit: { addKeywords: [word] } }))
          for (const { soundId } of chosen) keywords.set(soundId, (keywords.get(soundId) ?? new Set()).add(word));
      } else if (doing < 24)
        await ask(person, 'PATCH', '/records', { selection, edit: { set: { description: word } } });
      else if (doing < 36) {
        const plan = await ask<{ id: number }>(person, 'POST', '/plans', { kind: 'write', selection });
        // Whoever has files written waits for it, as people do.
        if (plan && (await ask(person, 'POST', `/plans/${plan.id}/run`, {}))) {
          ran.push(plan.id);
          while ((await ask<Plan>(person, 'GET', `/plans/${plan.id}`))?.state === 'running') await pause(200);
        }
      } else if (doing < 37) await ask(person, 'POST', '/proofs', { driveId: first.driveId, share: 100 });
      else if (doing < 38) await ask(person, 'POST', '/intake', { path: drive });
      else if (doing < 39 && (await writeOutside(path.join(drive, chosen[0]?.name ?? ''), word)))
        result.writtenOutside += 1;
      else await ask(person, 'GET', `/copies/${chosen[0]?.copyId}/three-ways`);
      await pause(random(300));
    }
  };
  let isOver = false;
  const disturbing = (async () => {
    for (let next = performance.now() + 20_000; !isOver; await pause(500)) {
      if (performance.now() < next) continue;
      await disturb();
      next = performance.now() + 20_000;
    }
  })();
  await Promise.all(Array.from({ length: people }, (_, person) => onePerson(person)));
  isOver = true;
  await disturbing;
  await quiet();

  for (const planId of ran) {
    const { items } = (await ask<{ items: PlanItem[] }>(0, 'GET', `/plans/${planId}/items`)) ?? { items: [] };
    for (const { state, problems } of items) {
      result.items[state] = (result.items[state] ?? 0) + 1;
      if (state === 'planned' || state === 'started')
        result.faults.push(`an item of plan ${planId} is ${state} when all jobs have ended`);
      if (state !== 'failed' && state !== 'blocked') continue;
      const code = problems.find(({ severity }) => severity === 'error')?.code;
      if (code === undefined) result.faults.push(`an item of plan ${planId} is ${state} and does not say why`);
      else result.failedItems[code] = (result.failedItems[code] ?? 0) + 1;
    }
  }
  result.plans = ran.length;
  // Once more, with nobody else there.
  await ask(0, 'POST', '/intake', { path: drive });
  await quiet();
  const last = await ask<{ id: number }>(0, 'POST', '/plans', { kind: 'write', selection: { kind: 'batch', batchId } });
  await ask(0, 'POST', `/plans/${last?.id}/run`, {});
  await quiet();
  await ask(0, 'POST', '/proofs', { driveId: first.driveId, share: 100 });
  await quiet();
  const copies = await rowsNow();
  const now = (await readdir(drive)).sort();
  if (now.join() !== names.join())
    result.faults.push(`the drive holds ${now.length} files, not the ${names.length} of before`);
  if (copies.length !== rows.length) result.faults.push(`${copies.length} copies, not ${rows.length}`);
  for (const { name, soundId, state, record } of copies) {
    const bytes = await readFile(path.join(drive, name));
    const said = await readAudio(memorySource(bytes), name);
    const own = record.keywords.join();
    if (state !== 'inStep') result.faults.push(`${name} is ${state}`);
    if ((await digestOf(bytes)) !== digests.get(name)) result.faults.push(`${name} does not hold its audio`);
    if ((said.record.keywords ?? []).join() !== own)
      result.faults.push(`${name} does not say the keywords of its record`);
    const lost = [...(keywords.get(soundId) ?? [])].filter((word) => !record.keywords.includes(word));
    if (lost.length > 0) result.faults.push(`${name} lost ${lost.join()}`);
  }
  return result;
}

async function digestOf(bytes: Uint8Array): Promise<string> {
  const { facts } = await readAudio(memorySource(bytes));
  return fullAudioDigest(memorySource(bytes), facts, sha256());
}

/** Writes a note into a file as another program does: it reads the file, and puts another one in its place. Whatever was written between is lost, as it is with such programs. */
async function writeOutside(file: string, note: string): Promise<boolean> {
  const bytes = await readFile(file).catch(() => undefined);
  if (!bytes) return false;
  const { record } = await readAudio(memorySource(bytes));
  const { plan } = await planWrite(memorySource(bytes), { ...emptyRecord(), ...record, notes: note });
  if (!plan) return false;
  // In a folder of its own: nothing of it is ever mistaken for a sound of the drive.
  const beside = `${path.dirname(file)}-outside-${note}`;
  await writeFile(beside, applyPlan(bytes, plan));
  await rename(beside, file);
  return true;
}
