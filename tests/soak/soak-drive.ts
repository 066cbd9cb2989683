import { mkdir, writeFile } from 'node:fs/promises';
import path from 'node:path';
import type { Job } from '@flagstone/contract/jobs';
import { wavBytes } from '@flagstone/demo/wav-file';
import type { RunningServer } from '../running-server.ts';

const NAMES = ['lock gate', 'kiln door', 'clay wheel', 'narrowboat', 'loom', 'goose'];

/** A drive of short sounds, all different. */
export async function makeSoakDrive(drive: string, count: number): Promise<void> {
  await mkdir(drive, { recursive: true });
  for (let number = 0; number < count; number += 1) {
    const signal = Float32Array.from({ length: 9600 }, (_, at) => Math.sin(at / (3 + number / 7)) * 0.4);
    const name = `${NAMES[number % NAMES.length]} ${number}.wav`;
    await writeFile(path.join(drive, name), wavBytes([signal], { rate: 48_000, bits: 16 }));
  }
}

/** Reads and measures it; returns the batch. */
export async function readSoakDrive(server: RunningServer, drive: string): Promise<number> {
  const headers = { 'Content-Type': 'application/json', ...server.headers };
  const answer = await fetch(`${server.address}/api/intake`, {
    method: 'POST',
    headers,
    body: JSON.stringify({ path: drive }),
  });
  const { batch } = (await answer.json()) as { batch: { id: number } };
  const isDone = async (): Promise<boolean> => {
    const jobs = (await (await fetch(`${server.address}/api/jobs`, { headers })).json()) as Job[];
    return jobs.some(({ kind }) => kind === 'measure') && jobs.every(({ state }) => state === 'done');
  };
  while (!(await isDone())) await new Promise((resolve) => setTimeout(resolve, 100));
  return batch.id;
}
