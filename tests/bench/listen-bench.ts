import { chmod, mkdir, mkdtemp, open, rm, writeFile } from 'node:fs/promises';
import os from 'node:os';
import path from 'node:path';
import { parseArgs } from 'node:util';
import { encodePcm } from '@flagstone/core/audio/encode-pcm';
import { newWavParts } from '@flagstone/core/formats/wav/new-wav';
import { demoCollection } from '@flagstone/demo/collection';
import { demoFileBytes } from '@flagstone/demo/make-collection';
import { noiseSource } from '@flagstone/demo/test-signals';
import { WATCH_SOUNDS, type BegunSound } from '../browser/heard-sounds.ts';
import { openBrowser, signInPage } from '../browser/open-browser.ts';
import { RunningServer } from '../running-server.ts';
import { FRAMES, WATCH_FRAMES } from './watch-frames.ts';

/**
 * `bench listen [--sounds 100] [--minutes 120]`: how long after an arrow key a sound begins, which is when its clock has moved, on loopback with server and
 * browser on this one machine; and the frames while a file of two hours is zoomed, and how long the takes of a series are looked for.
 */
const { values } = parseArgs({
  options: { sounds: { type: 'string', default: '100' }, minutes: { type: 'string', default: '120' } },
});
const [count, minutes] = [Number(values.sounds), Number(values.minutes)];
const RATE = 48_000;
const HEARD_MS = 400;
const folder = await mkdtemp(path.join(os.tmpdir(), 'flagstone-bench-'));
await chmod(folder, 0o755);
const drive = path.join(folder, 'drive');
await mkdir(drive);

const sounds = demoCollection().filter(({ path: file }) => file.endsWith('.wav'));
for (let index = 0; index < count; index += 1) {
  const sound = sounds[index % sounds.length];
  // Longer than anybody waits, so that none has ended before it is counted.
  if (sound)
    await writeFile(
      path.join(drive, `a${String(index).padStart(3, '0')}.wav`),
      demoFileBytes({ ...sound, seconds: 3 + index / 1000 }),
    );
}
await makeLong(path.join(drive, 'long.wav'), minutes * 60);

/** A mono file of hours: a minute of swelling noise, again and again. */
async function makeLong(file: string, seconds: number): Promise<void> {
  const noise = noiseSource(3);
  const minute = Float32Array.from({ length: 60 * RATE }, (_, at) => noise() * 0.5 * Math.abs(Math.sin(at / 70_000)));
  const bytes = encodePcm([minute], { sampleFormat: 'integer', bitDepth: 16 });
  const { head } = newWavParts({
    sampleFormat: 'integer',
    bitDepth: 16,
    channels: 1,
    sampleRateHz: RATE,
    frames: seconds * RATE,
  });
  const handle = await open(file, 'w');
  await handle.write(head);
  for (let at = 0; at < seconds; at += 60) await handle.write(bytes);
  await handle.close();
}

const server = new RunningServer(path.join(folder, 'data'), drive);
await server.start();
const { page, close } = await openBrowser();
await signInPage(page, server.headers);
page.setDefaultTimeout(600_000);
await page.evaluateOnNewDocument(WATCH_SOUNDS);
const say = (what: string, words: string): unknown => process.stdout.write(`${what.padEnd(44)} ${words}\n`);
const at = (sorted: readonly number[], share: number): string =>
  (sorted[Math.floor((sorted.length - 1) * share)] ?? 0).toFixed(0);
const headers = { 'Content-Type': 'application/json', ...server.headers };

try {
  say('', `Node.js ${process.version}, ${os.availableParallelism()} cores, ${await page.browser().version()}`);
  const answer = await fetch(`${server.address}/api/intake`, {
    method: 'POST',
    headers,
    body: JSON.stringify({ path: drive }),
  });
  const { batch } = (await answer.json()) as { batch: { id: number } };
  const started = performance.now();
  const isMeasured = async (): Promise<boolean> => {
    const jobs = (await (await fetch(`${server.address}/api/jobs`, { headers })).json()) as {
      kind: string;
      state: string;
    }[];
    return jobs.some(({ kind }) => kind === 'measure') && jobs.every(({ state }) => state === 'done');
  };
  while (!(await isMeasured())) await new Promise((resolve) => setTimeout(resolve, 500));
  say(
    `${count} sounds and one of ${minutes} minutes measured`,
    `${((performance.now() - started) / 1000).toFixed(0)} s`,
  );

  await page.goto(`${server.address}/intake/${batch.id}`);
  await page.waitForSelector('[role="rowgroup"] [role="row"]');
  for (let index = 0; index < count; index += 1) {
    await page.keyboard.press('ArrowDown');
    await page.waitForFunction(`heard.begun.length > ${index}`, { polling: 5 });
    // Somebody who judges a sound hears at least so much of it; the second half of the sounds is gone through without a rest.
    if (index < count / 2) await new Promise((resolve) => setTimeout(resolve, HEARD_MS));
  }
  const begun = ((await page.evaluate('heard.begun')) as BegunSound[]).map(({ ms }) => ms);
  for (const [how, times] of [
    [`with ${HEARD_MS} ms of each`, begun.slice(1, count / 2)],
    ['without a rest', begun.slice(count / 2)],
  ] as const) {
    const sorted = [...times].sort((a, b) => a - b);
    say(
      `${times.length} sounds by arrow key, ${how}`,
      `from the key to sound: median ${at(sorted, 0.5)} ms, 95 % ${at(sorted, 0.95)} ms, longest ${at(sorted, 1)} ms`,
    );
  }

  await page.keyboard.press('ArrowDown');
  await page.waitForFunction(`heard.begun.length > ${count}`, { polling: 5 });
  say(
    `the one of ${minutes} minutes`,
    `${((await page.evaluate('heard.begun.at(-1)')) as BegunSound).ms.toFixed(0)} ms`,
  );

  await page.keyboard.press('Space');
  await page.keyboard.press('o');
  await page.waitForSelector('[aria-label^="Spectrogram"][data-ready="true"]');
  const box = await (await page.$('.pictures .wave .box'))?.boundingBox();
  if (!box) throw new Error('there is no waveform');
  await page.mouse.move(box.x + box.width * 0.37, box.y + box.height / 2);
  await page.evaluate(WATCH_FRAMES);
  for (const deltaY of [-120, 120]) for (let turn = 0; turn < 70; turn += 1) await page.mouse.wheel({ deltaY });
  const frames = (await page.evaluate(FRAMES)) as number[];
  say(
    `zooming it in and out, ${frames.length} frames`,
    `median ${at(frames, 0.5)} ms, 95 % ${at(frames, 0.95)} ms, longest ${at(frames, 1)} ms`,
  );

  const find = performance.now();
  const soundId = Number(/sound\/(\d+)/.exec(page.url())?.[1]);
  const body = JSON.stringify({
    sensitivity: 50,
    minimumSeconds: 0.1,
    preRollSeconds: 0.02,
    postRollSeconds: 0.15,
    toZeroCrossings: true,
  });
  await fetch(`${server.address}/api/sounds/${soundId}/slices/find`, { method: 'POST', headers, body });
  say(`looking for slices in ${minutes} minutes`, `${((performance.now() - find) / 1000).toFixed(1)} s`);
} finally {
  await close();
  await server.end();
  await rm(folder, { recursive: true, force: true });
}
