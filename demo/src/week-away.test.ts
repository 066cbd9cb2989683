import { mkdir, mkdtemp, readFile, rm, stat, utimes, writeFile } from 'node:fs/promises';
import os from 'node:os';
import path from 'node:path';
import { afterEach, beforeEach, expect, it } from '@jest/globals';
import { memorySource } from '@flagstone/core/formats/byte-source';
import { readWav } from '@flagstone/core/formats/wav/wav-reader';
import { BOAT_FOLDER, demoCollection } from './collection.ts';
import { wavBytes } from './wav-file.ts';
import { letAWeekPass } from './week-away.ts';

const NAMES = Array.from({ length: 12 }, (_, index) => `take ${String(index + 1).padStart(2, '0')}.wav`);
/** What a file says and holds at first: a short tone of its own. */
function bytesOf(name: string): Uint8Array {
  const pitch = 3 + NAMES.indexOf(name);
  const signal = Float32Array.from({ length: 4800 }, (_, at) => Math.sin(at / pitch) * 0.4);
  return wavBytes([signal], { rate: 48_000, bits: 16 }, { info: { INAM: name, IKEY: 'gate' } });
}
const COPIED_AT = new Date('2026-09-01T08:00:00Z');
let folder = '';
const fileOf = (name: string): string => path.join(folder, 'drives', BOAT_FOLDER, name);
const audioOf = async (bytes: Uint8Array): Promise<{ audio: Buffer; description: string }> => {
  const { facts, record } = await readWav(memorySource(bytes));
  const audio = Buffer.from(bytes).subarray(facts.audioOffset, facts.audioOffset + facts.audioBytes);
  return { audio, description: record.description ?? '' };
};

beforeEach(async () => {
  folder = await mkdtemp(path.join(os.tmpdir(), 'flagstone-week-'));
  await mkdir(path.join(folder, 'drives', BOAT_FOLDER), { recursive: true });
  for (const name of NAMES) {
    await writeFile(fileOf(name), bytesOf(name));
    await utimes(fileOf(name), COPIED_AT, COPIED_AT);
  }
});
afterEach(() => rm(folder, { recursive: true, force: true }));

it('describes some files elsewhere, removes some, and flips one bit that no size or time tells of; once', async () => {
  const { retagged, removed, decayed } = await letAWeekPass(folder);
  expect([retagged.length, removed.length, decayed.length]).toEqual([6, 2, 1]);
  for (const name of retagged) {
    const [was, is] = [await audioOf(bytesOf(name)), await audioOf(new Uint8Array(await readFile(fileOf(name))))];
    expect(is.audio.equals(was.audio)).toBe(true);
    expect(is.description).toContain('from the towpath at dusk');
  }
  for (const name of removed) await expect(stat(fileOf(name))).rejects.toThrow('ENOENT');
  const [broken = ''] = decayed;
  const [was, is] = [bytesOf(broken), await readFile(fileOf(broken))];
  expect(is.length).toBe(was.length);
  expect(is.filter((byte, index) => byte !== was[index])).toHaveLength(1);
  expect((await stat(fileOf(broken))).mtimeMs).toBe(COPIED_AT.getTime());
  await expect(letAWeekPass(folder)).rejects.toThrow('the week is over');
});

it('finds enough files on the third drive of the demo', () => {
  const along = demoCollection().flatMap(({ alsoAt = [] }) => alsoAt.filter((at) => at.startsWith(BOAT_FOLDER)));
  expect(along.length).toBeGreaterThanOrEqual(12);
});
