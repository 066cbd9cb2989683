import { parentPort, workerData } from 'node:worker_threads';
import type { Answered, Asking } from './many-clients.ts';

/** The thread of `askAsMany`: clients that each ask one search after the other, its requests together, until the time is over. */
const { searches, clients, seconds } = workerData as Asking;

async function ask(address: string): Promise<void> {
  const answer = await fetch(address);
  const body: unknown = await answer.json();
  if (!answer.ok) throw new Error(`${address}: ${answer.status} ${JSON.stringify(body)}`);
}

const started = performance.now();
const times: number[] = [];
let next = 0;
await Promise.all(
  Array.from({ length: clients }, async () => {
    while (performance.now() - started < seconds * 1000) {
      const search = searches[next++ % searches.length] ?? [];
      const asked = performance.now();
      await Promise.all(search.map(ask));
      times.push((performance.now() - asked) / 1000);
    }
  }),
);
const answered: Answered = { times, seconds: (performance.now() - started) / 1000 };
parentPort?.postMessage(answered);
