import { signedInAs } from '../signed-in.ts';
import type { Answered, Asking } from './asking.ts';

async function ask(address: string): Promise<void> {
  const answer = await fetch(address, { headers: signedInAs(1) });
  const body: unknown = await answer.json();
  if (!answer.ok) throw new Error(`${address}: ${answer.status} ${JSON.stringify(body)}`);
}

/** The thread of `askAsMany`: clients that each ask one search after the other, its requests together, until the time is over. */
export default async function clientsAsking({ searches, clients, seconds }: Asking): Promise<Answered> {
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
  return { times, seconds: (performance.now() - started) / 1000 };
}
