import { execFile } from 'node:child_process';
import { mkdtemp, readFile, rm, writeFile } from 'node:fs/promises';
import os from 'node:os';
import path from 'node:path';
import { promisify } from 'node:util';
import { afterAll, beforeAll, expect, it, jest } from '@jest/globals';
import { memorySource } from '@flagstone/core/formats/byte-source';
import { planWrite } from '@flagstone/core/formats/plan-write';
import { applyPlan } from '@flagstone/core/formats/write-plan';
import { emptyRecord } from '@flagstone/core/record/fields';
import { readAudio } from '@flagstone/server/disk/read-audio';

jest.setTimeout(60_000);

/** Slices as chapters, read by ffprobe; and files with chapters by ffmpeg, read as slices. */
const run = promisify(execFile);
let folder = '';

beforeAll(async () => {
  folder = await mkdtemp(path.join(os.tmpdir(), 'flagstone-chapters-'));
});
afterAll(() => rm(folder, { recursive: true, force: true }));

interface Chapter {
  start_time: string;
  end_time: string;
  tags?: { title?: string };
}

it.each([
  ['mp3', 'ends'],
  ['flac', 'starts'],
  ['ogg', 'starts'],
])('slices written into %s are chapters for ffprobe, with their %s', async (extension, told) => {
  const file = path.join(folder, `tone.${extension}`);
  await run('ffmpeg', ['-v', 'error', '-f', 'lavfi', '-i', 'sine=440:duration=5:sample_rate=48000', file]);
  const record = { ...emptyRecord(), slices: '24000 72000 Knöck\n96000 120000 second', syncPoints: '30000 hit' };
  const bytes = new Uint8Array(await readFile(file));
  const { plan } = await planWrite(memorySource(bytes), record);
  if (!plan) throw new Error('there is something to write');
  await writeFile(file, applyPlan(bytes, plan));
  const { stdout, stderr } = await run('ffprobe', ['-v', 'warning', '-show_chapters', '-of', 'json', file]);
  expect(stderr).toBe('');
  const { chapters } = JSON.parse(stdout) as { chapters: Chapter[] };
  expect(chapters.map(({ start_time, tags }) => [Number(start_time), tags?.title])).toEqual([
    [0.5, 'Knöck'],
    [2, 'second'],
  ]);
  if (told === 'ends') expect(chapters.map(({ end_time }) => Number(end_time))).toEqual([1.5, 2.5]);
});

it('chapters that ffmpeg writes into MP3 are slices', async () => {
  const [meta, file] = [path.join(folder, 'chapters.txt'), path.join(folder, 'made.mp3')];
  const chapter = (start: number, end: number, title: string): string =>
    `[CHAPTER]\nTIMEBASE=1/1000\nSTART=${start}\nEND=${end}\ntitle=${title}\n`;
  await writeFile(meta, `;FFMETADATA1\n${chapter(500, 1500, 'lid')}${chapter(2000, 2500, 'lid again')}`);
  const tone = ['-f', 'lavfi', '-i', 'sine=440:duration=5:sample_rate=48000'];
  await run('ffmpeg', ['-v', 'error', ...tone, '-i', meta, '-map', '0:a', '-map_chapters', '1', file]);
  const { record } = await readAudio(memorySource(new Uint8Array(await readFile(file))));
  expect(record.slices).toBe('24000 72000 lid\n96000 120000 lid again');
});
