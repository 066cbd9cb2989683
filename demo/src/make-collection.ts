import { existsSync } from 'node:fs';
import { copyFile, mkdir, rename, rm, utimes, writeFile } from 'node:fs/promises';
import path from 'node:path';
import { BOAT_FOLDER, demoCollection, DRIVES, type DemoSound } from './collection.ts';
import { makeDeliveries } from './deliveries.ts';
import { RECIPES } from './recipes.ts';
import { finish, randomSource, seedOf } from './signal.ts';
import { wavBytes } from './wav-file.ts';

/** When the copies that go along were made: a time that can be given again exactly, see week-away.ts. */
const COPIED_AT = new Date('2026-09-01T08:00:00Z');

/** L R C LFE Ls Rs of WAVE_FORMAT_EXTENSIBLE. */
const FIVE_ONE_MASK = 0x3f;

/** The bytes of one demo file; the same sound gives the same bytes each time. */
export function demoFileBytes(sound: DemoSound): Uint8Array {
  const channels = Array.from({ length: sound.channels }, (_, channel) => {
    const voice = { rate: sound.rate, random: randomSource(seedOf(sound.path) + channel * 7919) };
    return finish(voice, RECIPES[sound.recipe](voice, sound.seconds), sound.peak);
  });
  const { rate, bits, float } = sound;
  return wavBytes(
    channels,
    { rate, bits, ...(float ? { float } : {}), ...(sound.channels === 6 ? { channelMask: FIVE_ONE_MASK } : {}) },
    sound.tags,
  );
}

/** Files as they come back from a failing disk: each has a message of its own when indexed. */
function damagedFiles(): [string, Uint8Array][] {
  const [race, shelf] = DRIVES;
  const voice = { rate: 48000, random: randomSource(7) };
  const whole = wavBytes([finish(voice, RECIPES.potClink(voice, 1.5), 0.5)], { rate: 48000, bits: 24 });
  const lying = whole.slice();
  new DataView(lying.buffer).setUint32(40, 900_000_000, true);
  return [
    [`${race}/Own recordings/rescued from card/FK4_0031.wav`, new Uint8Array(0)],
    [`${race}/Own recordings/rescued from card/FK4_0032 goose.wav`, lying],
    [`${race}/Own recordings/rescued from card/FK4_0033.wav`, whole.slice(0, 30)],
    [
      `${shelf}/lowside_textures/readme (1).wav`,
      new TextEncoder().encode('This is a shopping list: clay, slip, goose feed.\n'),
    ],
    [`${shelf}/backgrounds and bits/no audio inside.wav`, whole.slice(0, 36)],
  ];
}

/**
 * Makes the demo's drives below `folder` unless they are there already, and returns how many files were written. The drives appear
 * whole or not at all, and drives that are there are never touched: somebody may have renamed and written files on them.
 */
export async function makeCollection(folder: string, onFile?: (done: number, all: number) => void): Promise<number> {
  const target = path.join(folder, 'drives');
  if (existsSync(target)) return 0;
  const building = path.join(folder, 'building');
  await rm(building, { recursive: true, force: true });
  const sounds = demoCollection();
  let written = 0;
  const write = async (relative: string, bytes: Uint8Array): Promise<void> => {
    const full = path.join(building, relative);
    await mkdir(path.dirname(full), { recursive: true });
    await writeFile(full, bytes);
    written += 1;
  };
  for (const [index, sound] of sounds.entries()) {
    await write(sound.path, demoFileBytes(sound));
    for (const other of sound.alsoAt ?? []) {
      await mkdir(path.dirname(path.join(building, other)), { recursive: true });
      await copyFile(path.join(building, sound.path), path.join(building, other));
      if (other.startsWith(BOAT_FOLDER)) await utimes(path.join(building, other), COPIED_AT, COPIED_AT);
      written += 1;
    }
    onFile?.(index + 1, sounds.length);
  }
  for (const [relative, bytes] of damagedFiles()) await write(relative, bytes);
  await makeDeliveries(async (relative, bytes) => {
    const full = path.join(building, relative);
    await mkdir(path.dirname(full), { recursive: true });
    if (bytes) await writeFile(full, bytes);
    else written += 1;
    return full;
  });
  await rename(building, target);
  return written;
}
