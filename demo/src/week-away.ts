import { existsSync } from 'node:fs';
import { readdir, readFile, rm, stat, utimes, writeFile } from 'node:fs/promises';
import path from 'node:path';
import { memorySource } from '@flagstone/core/formats/byte-source';
import { planWrite } from '@flagstone/core/formats/plan-write';
import { readWav } from '@flagstone/core/formats/wav/wav-reader';
import { plannedSource } from '@flagstone/core/formats/write-plan';
import { emptyRecord } from '@flagstone/core/record/fields';
import { BOAT_FOLDER } from './collection.ts';

/** What a week away does to a drive: so many of its files are described anew, removed, or lose a bit. */
const RETAGGED = 6;
const REMOVED = 2;

export interface WeekAway {
  retagged: string[];
  removed: string[];
  decayed: string[];
}

/**
 * Lets a colleague take the demo's third drive along for a week: some of its files come back described by another program, some are gone, and of one a bit has flipped while
 * its size and time stayed. Once only. Throws when there is no demo, or the week is over.
 */
export async function letAWeekPass(demoFolder: string): Promise<WeekAway> {
  const [drive, done] = [path.join(demoFolder, 'drives', BOAT_FOLDER), path.join(demoFolder, 'week-away')];
  if (!existsSync(drive)) throw new Error(`there is no demo with a third drive in ${demoFolder}`);
  if (existsSync(done)) throw new Error('the week is over: the drive came back already');
  await writeFile(done, '');
  const names = (await readdir(drive)).filter((name) => name.endsWith('.wav')).sort();
  const [retagged, removed, decayed] = [
    names.slice(0, RETAGGED),
    names.slice(RETAGGED, RETAGGED + REMOVED),
    names.slice(-1),
  ];
  for (const [index, name] of retagged.entries()) await retag(path.join(drive, name), index);
  for (const name of removed) await rm(path.join(drive, name));
  for (const name of decayed) await flipABit(path.join(drive, name));
  return { retagged, removed, decayed };
}

async function retag(file: string, index: number): Promise<void> {
  const source = memorySource(new Uint8Array(await readFile(file)));
  const { record } = await readWav(source);
  const { plan } = await planWrite(source, {
    ...emptyRecord(),
    ...record,
    description: `Heard again from the towpath at dusk, take ${index + 1}`,
    keywords: [...(record.keywords ?? []), 'dusk', 'towpath'],
  });
  if (!plan) return;
  await writeFile(file, await plannedSource(source, plan).read(0, plan.sizeBytes));
}

/** In the middle of the audio. Its time is in whole seconds, which can be given back exactly. */
async function flipABit(file: string): Promise<void> {
  const [bytes, { atime, mtime }] = [await readFile(file), await stat(file)];
  const middle = bytes.length >> 1;
  bytes[middle] = (bytes[middle] as number) ^ 1;
  await writeFile(file, bytes);
  await utimes(file, atime, mtime);
}
