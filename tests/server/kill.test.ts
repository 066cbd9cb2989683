import { createHash } from 'node:crypto';
import { chmod, mkdir, mkdtemp, readdir, readFile, rm, writeFile } from 'node:fs/promises';
import os from 'node:os';
import path from 'node:path';
import { afterAll, beforeAll, describe, expect, it, jest } from '@jest/globals';
import { memorySource } from '@flagstone/core/formats/byte-source';
import { readWav } from '@flagstone/core/formats/wav/wav-reader';
import { writeMarker } from '@flagstone/server/disk/drive-marker';
import { startLocalPostgres } from '@flagstone/server/db/local-postgres';
import type { Arrival, ArrivalFile } from '@flagstone/contract/arrivals';
import { PLAIN_PROFILE } from '@flagstone/core/delivery/profile';
import { bagFaults } from '../bag-reader.ts';
import { RunningServer } from '../running-server.ts';
import { sized } from '../size.ts';
import { zipBytes } from '../zip-bytes.ts';
import { toneBytes } from './test-application.ts';

jest.setTimeout(180_000);

/** Kills the real server with SIGKILL while it renames and writes, again and again, and looks at what is left. */
const FILES = sized(36, 60);
let folder = '';
let drive = '';
let other = '';
let server: RunningServer;

async function send<Answer>(method: string, where: string, body?: unknown): Promise<Answer> {
  const headers = { 'Content-Type': 'application/json', ...server.headers };
  const answer = await fetch(`${server.address}/api${where}`, {
    method,
    headers,
    ...(body === undefined ? {} : { body: JSON.stringify(body) }),
  });
  if (!answer.ok) throw new Error(`${method} ${where}: ${await answer.text()}`);
  return (await answer.json()) as Answer;
}

interface Counted {
  id: number;
  state: string;
  counts: { all: number; done: number; runnable: number; failed: number };
}

/** Asks until a condition holds; the answer of the server is the clock, with a limit. */
async function until<Answer>(ask: () => Promise<Answer>, holds: (answer: Answer) => boolean): Promise<Answer> {
  const limit = Date.now() + 60_000;
  for (;;) {
    const answer = await ask();
    if (holds(answer)) return answer;
    if (Date.now() > limit) throw new Error(`still not so: ${JSON.stringify(answer)}`);
  }
}

const hashOfSamples = async (file: string): Promise<string> => {
  const bytes = new Uint8Array(await readFile(file));
  const { facts, issues } = await readWav(memorySource(bytes));
  expect(issues).toEqual([]);
  return createHash('sha256')
    .update(bytes.subarray(facts.audioOffset, facts.audioOffset + facts.audioBytes))
    .digest('hex');
};

const audioOnDrive = async (on = drive): Promise<string[]> => {
  const names = (await readdir(on)).filter((name) => name.endsWith('.wav'));
  return (await Promise.all(names.map((name) => hashOfSamples(path.join(on, name))))).sort();
};

beforeAll(async () => {
  folder = await mkdtemp(path.join(os.tmpdir(), 'flagstone-kill-'));
  await chmod(folder, 0o755);
  drive = path.join(folder, 'drives', 'Quay');
  other = path.join(folder, 'drives', 'Barge');
  await mkdir(drive, { recursive: true });
  for (let index = 0; index < FILES; index += 1)
    await writeFile(path.join(drive, `raw ${index}.wav`), toneBytes(index + 1));
  // Each a drive of its own, by its marker.
  await mkdir(other);
  for (const each of [drive, other]) await writeMarker(each);
  server = new RunningServer(path.join(folder, 'data'), path.join(folder, 'drives'));
  await server.start();
});

afterAll(async () => {
  await server.end();
  // After a SIGKILL the database goes on by itself, and the next start only uses it.
  await (await startLocalPostgres(path.join(folder, 'data'))).stop();
  await rm(folder, { recursive: true, force: true });
});

describe('a server killed in the middle', () => {
  it('leaves every file whole, under its old or its new name, and goes on where it was', async () => {
    const before = await audioOnDrive();
    expect(new Set(before).size).toBe(FILES);
    const { batch } = await send<{ batch: { id: number } }>('POST', '/intake', { path: drive });
    const selection = { kind: 'batch', batchId: batch.id };
    await until(
      () => send<{ counts: { all: number } }>('GET', `/batches/${batch.id}`),
      (answer) => answer.counts.all === FILES,
    );
    await send('PATCH', '/records', {
      selection,
      edit: { set: { catId: 'CERMBrk', fxName: 'Pot', creatorId: 'ORV', sourceId: 'CLAY' } },
    });

    for (const kind of ['rename', 'write']) {
      const plan = await send<Counted>('POST', '/plans', { kind, selection });
      expect(plan.counts.runnable).toBe(FILES);
      await send('POST', `/plans/${plan.id}/run`, {});
      let kills = 0;
      for (const share of [0.15, 0.4, 0.7]) {
        const now = await until(
          () => send<Counted>('GET', `/plans/${plan.id}`),
          (answer) => answer.counts.done >= FILES * share,
        );
        if (now.counts.done < FILES) kills += 1;
        await server.end('SIGKILL');
        // Whatever stands on the disk at that moment, no audio is lost or harmed. A file between two names stands under both.
        expect([...new Set(await audioOnDrive())].sort()).toEqual(before);
        await server.start();
        expect(await audioOnDrive()).toEqual(before);
      }
      expect(kills).toBeGreaterThan(0);
      const done = await until(
        () => send<Counted>('GET', `/plans/${plan.id}`),
        (answer) => answer.counts.done === FILES,
      );
      expect(done.counts).toMatchObject({ all: FILES, done: FILES, failed: 0 });
      const names = (await readdir(drive)).filter((name) => !name.startsWith('.'));
      expect(names.filter((name) => !/^CERMBrk_Pot_ORV_CLAY( \d\d)?\.wav$/.test(name))).toEqual([]);
      const { rows } = await send<{ rows: { name: string }[] }>('GET', `/batches/${batch.id}/rows?limit=500`);
      expect(rows.map((row) => row.name).sort()).toEqual(names.sort());
      expect(await audioOnDrive()).toEqual(before);
    }
    const { rows } = await send<{ rows: { state: string }[] }>('GET', `/batches/${batch.id}/rows?limit=500`);
    expect(rows.every((row) => row.state === 'inStep')).toBe(true);
  });

  it('leaves no half copy on another drive, and copies the rest', async () => {
    const before = await audioOnDrive();
    const { rows: found } = await send<{ rows: { copyId: number }[] }>('GET', '/batches/1/rows?limit=500');
    const selection = { kind: 'copies', copyIds: found.map(({ copyId }) => copyId) };
    const plan = await send<Counted>('POST', '/copy-plans', { selection, toPath: other });
    expect(plan.counts.runnable).toBe(FILES);
    await send('POST', `/plans/${plan.id}/run`, {});
    let kills = 0;
    for (const share of [0.15, 0.4, 0.7]) {
      const now = await until(
        () => send<Counted>('GET', `/plans/${plan.id}`),
        (answer) => answer.counts.done >= FILES * share,
      );
      if (now.counts.done < FILES) kills += 1;
      await server.end('SIGKILL');
      // Whatever has a name is whole, and the source as it was.
      for (const hash of await audioOnDrive(other)) expect(before).toContain(hash);
      expect(await audioOnDrive()).toEqual(before);
      await server.start();
    }
    expect(kills).toBeGreaterThan(0);
    const done = await until(
      () => send<Counted>('GET', `/plans/${plan.id}`),
      (answer) => answer.counts.done + answer.counts.failed === FILES,
    );
    expect(done.counts).toMatchObject({ all: FILES, done: FILES, failed: 0 });
    expect(await audioOnDrive(other)).toEqual(before);
    expect(
      (await readdir(other)).filter((name) => name.startsWith('.') && !name.startsWith('.flagstone-drive')),
    ).toEqual([]);
  });

  it('leaves no half file of a delivery, and makes the rest: in the end the bag is valid', async () => {
    const before = await audioOnDrive();
    const out = path.join(folder, 'drives', 'out');
    await mkdir(out);
    const { rows: found } = await send<{ rows: { copyId: number }[] }>('GET', '/batches/1/rows?limit=500');
    const audio = { ...PLAIN_PROFILE.audio, sampleRateHz: 44_100, depth: '24' };
    const delivery = await send<{ id: number; counts: { new: number } }>('POST', '/deliveries', {
      name: 'Reel 1',
      folder: out,
      profile: { ...PLAIN_PROFILE, audio, packing: 'bag' },
      what: {
        kind: 'sounds',
        selection: { kind: 'copies', copyIds: found.map(({ copyId }) => copyId) },
        cut: 'whole',
      },
    });
    expect(delivery.counts.new).toBe(FILES);
    await send('POST', `/deliveries/${delivery.id}/run`, {});
    const counted = () =>
      send<{ counts: { done: number; failed: number }; deliveredAt: string | null }>(
        'GET',
        `/deliveries/${delivery.id}`,
      );
    const payload = path.join(out, 'Reel 1', 'data');
    let kills = 0;
    for (const share of [0.15, 0.4, 0.7]) {
      const { counts } = await until(counted, (answer) => answer.counts.done >= FILES * share);
      if (counts.done < FILES) kills += 1;
      await server.end('SIGKILL');
      // Whatever has a name is whole.
      for (const name of (await readdir(payload)).filter((each) => !each.startsWith('.')))
        expect(await readWav(memorySource(new Uint8Array(await readFile(path.join(payload, name)))))).toMatchObject({
          issues: [],
          facts: { sampleRateHz: 44_100, frames: 2205 },
        });
      await server.start();
    }
    expect(kills).toBeGreaterThan(0);
    const ended = await until(counted, (answer) => answer.deliveredAt !== null);
    expect(ended.counts).toMatchObject({ done: FILES, failed: 0 });
    expect(await readdir(payload)).toHaveLength(FILES);
    expect(await bagFaults(path.join(out, 'Reel 1'))).toEqual([]);
    expect(await audioOnDrive()).toEqual(before);
  });

  it('leaves no half file of what is handed over, goes on with what was being sent, and takes all of it', async () => {
    const landing = path.join(folder, 'drives', 'Landing');
    await mkdir(landing);
    await send('PATCH', '/collections/1', { landingPath: landing });
    const audio = { container: 'WAV', sampleRateHz: 44_100, depth: '24', dither: true, channels: 'asIs' };
    const body = { name: 'Sent', collectionId: 1, audio, onlyNew: false };
    const { arrival } = await send<{ arrival: Arrival }>('POST', '/arrivals', body);
    const bytes = new Map<string, Uint8Array>();
    for (let at = 0; at < FILES; at += 1) bytes.set(`take ${at}.wav`, toneBytes(2000 + at));
    const packed = Array.from({ length: 10 }, (_, at) => ({ name: `in pack ${at}.wav`, bytes: toneBytes(3000 + at) }));
    bytes.set('Pack.zip', zipBytes(packed));
    const files = [...bytes].map(([name, content]) => ({ path: name, bytes: content.length }));
    const announce = () => send<ArrivalFile[]>('POST', `/arrivals/${arrival.id}/files`, { files });
    const sendOne = async ({ id, path: name, begun, bytes: size }: ArrivalFile, until = size): Promise<void> => {
      const headers = { ...server.headers, 'Tus-Resumable': '1.0.0' };
      const place = `${server.address}/api/uploads`;
      const content = bytes.get(name) ?? new Uint8Array(0);
      const metadata = `file ${Buffer.from(id).toString('base64')}`;
      if (!begun) {
        const made = await fetch(place, {
          method: 'POST',
          headers: { ...headers, 'Upload-Length': String(size), 'Upload-Metadata': metadata },
        });
        expect(made.status).toBe(201);
      }
      const at = Number((await fetch(`${place}/${id}`, { method: 'HEAD', headers })).headers.get('upload-offset'));
      const part = { ...headers, 'Upload-Offset': String(at), 'Content-Type': 'application/offset+octet-stream' };
      const sent = await fetch(`${place}/${id}`, {
        method: 'PATCH',
        headers: part,
        body: Buffer.from(content.subarray(at, until)),
      });
      expect(sent.status).toBe(204);
    };
    // Half of them, and half of one, then the server is killed.
    const announced = await announce();
    for (const file of announced.slice(0, FILES / 2)) await sendOne(file);
    const [half] = announced.slice(FILES / 2);
    if (half) await sendOne(half, Math.floor(half.bytes / 2));
    await server.end('SIGKILL');
    await server.start();
    const waiting = (await announce()).filter(({ state }) => state === 'announced');
    expect(waiting.length).toBeGreaterThanOrEqual(files.length - FILES / 2);
    for (const file of waiting) await sendOne(file);

    await send('POST', `/arrivals/${arrival.id}/finish`, {});
    const standing = async () => (await send<Arrival[]>('GET', '/arrivals')).find(({ id }) => id === arrival.id);
    let kills = 0;
    for (const share of [0.1, 0.4, 0.7]) {
      const now = await until(standing, (each) => each?.state === 'done' || (each?.files.placed ?? 0) >= FILES * share);
      if (now?.state !== 'done') kills += 1;
      await server.end('SIGKILL');
      // Whatever has a name is whole.
      for (const name of (await readdir(path.join(landing, 'Sent'))).filter((each) => each.endsWith('.wav')))
        expect(
          await readWav(memorySource(new Uint8Array(await readFile(path.join(landing, 'Sent', name))))),
        ).toMatchObject({ issues: [], facts: { sampleRateHz: 44_100, frames: 2205 } });
      await server.start();
    }
    expect(kills).toBeGreaterThan(0);
    const ended = await until(standing, (each) => each?.state === 'done');
    expect(ended?.files).toEqual({ announced: 0, here: 0, placed: FILES + 11, left: 0 });
    const there = await readdir(path.join(landing, 'Sent'), { recursive: true });
    expect(there.filter((name) => name.endsWith('.wav'))).toHaveLength(FILES + 10);
    expect(there.filter((name) => name.includes('.flagstone'))).toEqual([]);
  });
});
