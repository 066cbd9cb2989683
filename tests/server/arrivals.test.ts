import { createHash } from 'node:crypto';
import { mkdir, readdir, readFile, rename, rm, stat, symlink, writeFile } from 'node:fs/promises';
import path from 'node:path';
import { afterAll, beforeAll, beforeEach, describe, expect, it } from '@jest/globals';
import type { Arrival, ArrivalFile } from '@flagstone/contract/arrivals';
import type { SoundRow } from '@flagstone/contract/record';
import { wavBytes } from '@flagstone/demo/wav-file';
import { httpServer } from '@flagstone/server/http-server';
import { Upload } from 'tus-js-client';
import { signedInAs } from '../signed-in.ts';
import { zipBytes, type LaidEntry } from '../zip-bytes.ts';
import { listenOn, type Listening } from './listen-on.ts';
import { TestApplication, toneBytes } from './test-application.ts';

let app: TestApplication;
let server: Listening;
let count = 0;
/** The landing folder. */
let landing = '';

beforeAll(async () => {
  app = await TestApplication.open();
  server = await listenOn(httpServer(app.context));
  landing = path.join(app.drive, 'Landing');
  await mkdir(landing);
  await app.call('updateCollection', { params: { id: 1 }, body: { landingPath: landing } });
});

afterAll(async () => {
  server.close();
  await app.close();
});

/** Sounds that no other test has. */
let seed = 1000;
beforeEach(() => void (seed += 100));
const sound = (more = 0): Uint8Array => toneBytes(seed + more);
const sha256 = (bytes: Uint8Array): string => createHash('sha256').update(bytes).digest('hex');

/** Begins an arrival of its own name. */
async function arrive(more: object = {}): Promise<Arrival> {
  const name = `Pack ${(count += 1)}`;
  return (await app.call('makeArrival', { body: { name, collectionId: 1, ...more } })).arrival;
}

function announce(id: number, files: Record<string, Uint8Array>): Promise<ArrivalFile[]> {
  const said = Object.entries(files).map(([file, bytes]) => ({ path: file, bytes: bytes.length }));
  return app.call('announceFiles', { params: { id }, body: { files: said } });
}

/** Sends a file as browsers do, by another implementation of the protocol. */
function send(file: ArrivalFile, bytes: Uint8Array, more: { sha256?: string; chunkSize?: number } = {}): Promise<void> {
  return new Promise((resolve, reject) => {
    const upload = new Upload(Buffer.from(bytes), {
      endpoint: `${server.address}/uploads`,
      ...(file.begun ? { uploadUrl: `${server.address}/uploads/${file.id}` } : {}),
      headers: signedInAs(1),
      metadata: { file: file.id, sha256: more.sha256 ?? sha256(bytes) },
      chunkSize: more.chunkSize ?? Number.POSITIVE_INFINITY,
      retryDelays: null,
      onSuccess: () => resolve(),
      onError: reject,
    });
    upload.start();
  });
}

/** Announces files and sends those that are waited for. */
async function sendAll(id: number, files: Record<string, Uint8Array>): Promise<ArrivalFile[]> {
  const announced = await announce(id, files);
  for (const file of announced) if (file.state === 'announced') await send(file, files[file.path] ?? new Uint8Array(0));
  return announced;
}

/** Has an arrival put into its folder and read; returns how it stands then. */
async function finish(id: number): Promise<{ arrival: Arrival; rows: SoundRow[]; left: ArrivalFile[] }> {
  const job = await app.ended(await app.call('finishArrival', { params: { id } }));
  if (job.state !== 'done') throw new Error(`it ended ${job.state}: ${JSON.stringify(job.error)}`);
  return standing(id);
}

async function standing(id: number) {
  const arrival = (await app.call('listArrivals')).find((each) => each.id === id);
  if (!arrival || arrival.batchId === null) throw new Error('the arrival has no batch');
  const reading = (await app.call('listJobs')).find((job) => job.kind === 'index' && job.batchId === arrival.batchId);
  if (reading) await app.ended(reading);
  const { rows } = await app.call('listBatchRows', { params: { id: arrival.batchId } });
  return { arrival, rows, left: await app.call('listLeftOut', { params: { id } }) };
}

const namesOf = (rows: readonly SoundRow[]): string[] =>
  rows.map(({ folder, name }) => `${folder}/${name}`.replace(/^Landing\/[^/]+\//, '')).sort();
const why = (left: readonly ArrivalFile[]): Record<string, string> =>
  Object.fromEntries(left.map(({ path: file, code }) => [file, code]));
const onDisk = async ({ folder }: Arrival): Promise<string[]> =>
  (await readdir(path.join(app.drive, folder), { recursive: true, withFileTypes: true }))
    .filter((entry) => entry.isFile())
    .map(({ name }) => name)
    .sort();

describe('files that are sent', () => {
  it('land in a folder of their own, byte by byte as they were, and become a batch', async () => {
    const files = { 'Kilns/door.wav': sound(1), 'Kilns/Day 2/vent.wav': sound(2) };
    const { id } = await arrive();
    await sendAll(id, files);
    const { arrival, rows, left } = await finish(id);
    expect(namesOf(rows)).toEqual(['Kilns/Day 2/vent.wav', 'Kilns/door.wav']);
    expect(left).toEqual([]);
    expect(await readFile(path.join(app.drive, arrival.folder, 'Kilns/door.wav'))).toEqual(
      Buffer.from(files['Kilns/door.wav']),
    );
    // Nothing is left of the sending.
    expect(await onDisk(arrival)).toEqual(['door.wav', 'vent.wav']);
    expect(arrival.files).toEqual({ announced: 0, here: 0, placed: 2, left: 0 });
  });

  it('go on where the line broke, in another process too', async () => {
    const { id } = await arrive();
    const bytes = sound(1);
    const [file] = await announce(id, { 'door.wav': bytes });
    if (!file) throw new Error('nothing was announced');
    const headers = { ...signedInAs(1), 'Tus-Resumable': '1.0.0' };
    const metadata = `file ${Buffer.from(file.id).toString('base64')},sha256 ${Buffer.from(sha256(bytes)).toString('base64')}`;
    const begun = await fetch(`${server.address}/uploads`, {
      method: 'POST',
      headers: { ...headers, 'Upload-Length': String(bytes.length), 'Upload-Metadata': metadata },
    });
    expect(begun.status).toBe(201);
    const part = await fetch(`${server.address}/uploads/${file.id}`, {
      method: 'PATCH',
      headers: { ...headers, 'Upload-Offset': '0', 'Content-Type': 'application/offset+octet-stream' },
      body: Buffer.from(bytes.subarray(0, 1000)),
    });
    expect(part.headers.get('upload-offset')).toBe('1000');

    const other = await listenOn(httpServer(app.context));
    const asked = await fetch(`${other.address}/uploads/${file.id}`, { method: 'HEAD', headers });
    expect(asked.headers.get('upload-offset')).toBe('1000');
    other.close();

    // Announced again, as by a page that was opened anew: it is not begun anew.
    const [again] = await announce(id, { 'door.wav': bytes });
    expect(again).toMatchObject({ id: file.id, begun: true, state: 'announced' });
    await send(again ?? file, bytes);
    const { rows } = await finish(id);
    expect(namesOf(rows)).toEqual(['door.wav']);
  });

  it('are refused where they are not what was announced, and left out where they changed on the way', async () => {
    const { id } = await arrive();
    const bytes = sound(1);
    const [file, second] = await announce(id, { 'door.wav': bytes, 'vent.wav': sound(2) });
    if (!file || !second) throw new Error('nothing was announced');
    await expect(send(file, bytes.subarray(0, 500))).rejects.toThrow(/announced with/);
    await send(file, bytes, { sha256: sha256(sound(3)) });
    await send(second, sound(2));
    const { rows, left } = await finish(id);
    expect(namesOf(rows)).toEqual(['vent.wav']);
    expect(why(left)).toEqual({ 'door.wav': 'AUDIO_CHANGED' });
  });

  it('are left out when they were not sent whole, are hidden, or are no sounds', async () => {
    const { id } = await arrive();
    const files = {
      'door.wav': sound(1),
      'vent.wav': sound(2),
      '.DS_Store': sound(3),
      'notes.pdf': sound(4),
      'gate.ape': sound(5),
    };
    const announced = await announce(id, files);
    await send(announced.find((file) => file.path === 'door.wav') ?? (announced[0] as ArrivalFile), files['door.wav']);
    const { rows, left } = await finish(id);
    expect(namesOf(rows)).toEqual(['door.wav']);
    expect(why(left)).toEqual({
      '.DS_Store': 'HIDDEN',
      'gate.ape': 'FORMAT_NOT_SUPPORTED',
      'notes.pdf': 'NO_SOUND',
      'vent.wav': 'NOT_SENT',
    });
  });

  it('are known by their quick digests before they are sent, and left out when they came all the same', async () => {
    const first = await arrive();
    await sendAll(first.id, { 'door.wav': sound(1) });
    const { rows } = await finish(first.id);
    const { rows: kept } = await app.context.db.execute<{ quick_digest: string }>(
      `select quick_digest from sounds where id = ${rows[0]?.soundId}`,
    );
    const digest = kept[0]?.quick_digest ?? '';
    const held = await app.call('findHeld', { body: { digests: [digest, 'f'.repeat(64)] } });
    expect(held).toEqual([{ digest, soundId: rows[0]?.soundId, name: 'door.wav' }]);

    const second = await arrive();
    await sendAll(second.id, { 'Door 1.wav': sound(1), 'new.wav': sound(2), 'new again.wav': sound(2) });
    const then = await finish(second.id);
    expect(namesOf(then.rows)).toEqual(['new again.wav']);
    expect(then.left.map(({ path: file, message }) => `${file}: ${message}`)).toEqual([
      'Door 1.wav: Held already, as door.wav.',
      'new.wav: The same sound as new again.wav, which comes too.',
    ]);
  });

  it('come in twice where that is wished, and names that are taken get numbers', async () => {
    const { id } = await arrive({ onlyNew: false });
    await sendAll(id, { 'a/door.wav': sound(1), 'A/Door.wav': sound(1), 'a/do?or.wav': sound(2) });
    const { arrival } = await finish(id);
    expect((await onDisk(arrival)).map((name) => name.toLowerCase()).sort()).toEqual([
      'do or.wav',
      'door 01.wav',
      'door.wav',
    ]);
  });

  it('are taken by nobody who is no librarian of the collection, and by no other way of the protocol', async () => {
    const { id } = await arrive();
    const [file] = await announce(id, { 'door.wav': sound(1) });
    const headers = { 'Tus-Resumable': '1.0.0' };
    const address = `${server.address}/uploads/${file?.id}`;
    expect((await fetch(address, { method: 'HEAD', headers })).status).toBe(401);
    expect((await fetch(address, { method: 'DELETE', headers: { ...headers, ...signedInAs(1) } })).status).toBe(404);
    expect((await fetch(address, { headers: { ...headers, ...signedInAs(1) } })).status).toBe(404);
    await app.call('giveUpArrival', { params: { id } });
    expect((await fetch(address, { method: 'HEAD', headers: { ...headers, ...signedInAs(1) } })).status).toBe(404);
    expect((await app.call('listArrivals')).some((each) => each.id === id)).toBe(false);
  });
});

describe('packs', () => {
  const packOf = (entries: readonly LaidEntry[]): Uint8Array => zipBytes(entries);

  it('are unpacked into a folder of their name, sounds alone', async () => {
    const { id } = await arrive();
    const pack = packOf([
      { name: 'Kiln pack/', bytes: new Uint8Array(0) },
      { name: 'Kiln pack/door.wav', bytes: sound(1), packed: true },
      { name: 'Kiln pack/Day 2/vent.wav', bytes: sound(2) },
      { name: 'Kiln pack/licence.pdf', bytes: sound(3) },
      { name: '__MACOSX/Kiln pack/._door.wav', bytes: sound(4) },
      { name: 'Kiln pack/more.zip', bytes: sound(5) },
    ]);
    await sendAll(id, { 'Kiln pack.zip': pack });
    const { arrival, rows, left } = await finish(id);
    expect(namesOf(rows)).toEqual(['Kiln pack/Day 2/vent.wav', 'Kiln pack/door.wav']);
    expect(await readFile(path.join(app.drive, arrival.folder, 'Kiln pack/door.wav'))).toEqual(Buffer.from(sound(1)));
    expect(why(left)).toEqual({
      'Kiln pack/__MACOSX/Kiln pack/._door.wav': 'HIDDEN',
      'Kiln pack/licence.pdf': 'NO_SOUND',
      'Kiln pack/more.zip': 'PACK_IN_PACK',
    });
  });

  it('never put anything outside of their folder', async () => {
    const { id } = await arrive();
    const names = ['../../out.wav', '/out.wav', 'C:\\out.wav', 'in/../../out.wav', '..\\..\\out.wav', 'in\\ok.wav'];
    await sendAll(id, { 'Bad.zip': packOf(names.map((name, at) => ({ name, bytes: sound(at) }))) });
    const { rows, left } = await finish(id);
    expect(namesOf(rows)).toEqual(['Bad/in/ok.wav']);
    expect(Object.values(why(left))).toEqual(Array<string>(5).fill('PATH_OUTSIDE_ROOTS'));
    expect(await readdir(app.drive)).not.toContain('out.wav');
  });

  it('have their names put right that are in other encodings', async () => {
    const { id } = await arrive();
    // Türe.wav in code page 437, ドア.wav in Shift-JIS.
    const german = Buffer.concat([Buffer.from([0x54, 0x81, 0x72, 0x65]), Buffer.from('.wav')]);
    const japanese = Buffer.concat([Buffer.from([0x83, 0x68, 0x83, 0x41]), Buffer.from('.wav')]);
    await sendAll(id, {
      'Names.zip': packOf([
        { name: german, bytes: sound(1) },
        { name: japanese, bytes: sound(2) },
      ]),
    });
    expect(namesOf((await finish(id)).rows)).toEqual(['Names/Türe.wav', 'Names/ドア.wav']);
  });

  it('that are damaged, encrypted, or no packs are told, and the rest comes in', async () => {
    const { id } = await arrive();
    const pack = packOf([
      { name: 'good.wav', bytes: sound(1) },
      { name: 'other checksum.wav', bytes: sound(2), checksum: 1 },
      { name: 'longer.wav', bytes: sound(3), packed: true, saidBytes: 10 },
      { name: 'locked.wav', bytes: sound(4), encrypted: true },
    ]);
    await sendAll(id, {
      'Mixed.zip': pack,
      'None.zip': sound(5),
      'Cut.zip': pack.subarray(0, 2000),
      'door.wav': sound(6),
    });
    const { rows, left } = await finish(id);
    expect(namesOf(rows)).toEqual(['Mixed/good.wav', 'door.wav']);
    expect(why(left)).toEqual({
      'Cut.zip': 'FORMAT_DAMAGED',
      'Mixed/locked.wav': 'FORMAT_NOT_SUPPORTED',
      'Mixed/longer.wav': 'FORMAT_DAMAGED',
      'Mixed/other checksum.wav': 'FORMAT_DAMAGED',
      'None.zip': 'FORMAT_DAMAGED',
    });
  });

  it('that would unpack to many times their size are not begun', async () => {
    const { id } = await arrive();
    // Ten entries that each say they have 2 GB.
    const bomb = packOf(
      Array.from({ length: 10 }, (_, at) => ({
        name: `${at}.wav`,
        bytes: sound(at),
        packed: true,
        saidBytes: 2 ** 31,
      })),
    );
    await sendAll(id, { 'Bomb.zip': bomb, 'door.wav': sound(20) });
    const { rows, left } = await finish(id);
    expect(namesOf(rows)).toEqual(['door.wav']);
    expect(why(left)).toEqual({ 'Bomb.zip': 'TOO_LARGE' });
  });
});

describe('a folder that is copied from', () => {
  /** A folder beside the landing folder with some files. */
  async function folderOf(files: Record<string, Uint8Array>): Promise<string> {
    const folder = path.join(app.drive, `Downloads ${seed}`);
    for (const [file, bytes] of Object.entries(files)) {
      await mkdir(path.dirname(path.join(folder, file)), { recursive: true });
      await writeFile(path.join(folder, file), bytes);
    }
    return folder;
  }

  async function copyFrom(source: string, more: object = {}) {
    const name = `Copied ${(count += 1)}`;
    const { arrival, job } = await app.call('makeArrival', { body: { name, collectionId: 1, source, ...more } });
    if (!job) throw new Error('nothing was queued');
    return { id: arrival.id, job: await app.ended(job) };
  }

  it('stays as it is, and its sounds stand in the landing folder too', async () => {
    const source = await folderOf({ 'Wheels/wheel.wav': sound(1), 'gate.wav': sound(2), 'notes.txt': sound(3) });
    const { id, job } = await copyFrom(source);
    expect(job.state).toBe('done');
    const { arrival, rows, left } = await standing(id);
    expect(namesOf(rows)).toEqual(['Wheels/wheel.wav', 'gate.wav']);
    expect(why(left)).toEqual({ 'notes.txt': 'NO_SOUND' });
    expect(await readFile(path.join(source, 'gate.wav'))).toEqual(Buffer.from(sound(2)));
    expect(await onDisk(arrival)).toEqual(['gate.wav', 'wheel.wav']);
  });

  it('is converted where that is asked for, with what the files say', async () => {
    const tone = Float32Array.from({ length: 44_100 }, (_, at) => 0.5 * Math.sin((at * 2 * Math.PI * 440) / 44_100));
    const bytes = wavBytes([tone, tone], { rate: 44_100, bits: 24 }, { info: { INAM: `Wheel ${seed}` } });
    const source = await folderOf({ 'wheel.wav': bytes });
    const audio = { container: 'FLAC', sampleRateHz: 48_000, depth: '16', dither: true, channels: 'mono' };
    const { id } = await copyFrom(source, { audio });
    const { rows } = await standing(id);
    expect(rows).toHaveLength(1);
    expect(rows[0]?.name).toBe('wheel.flac');
    expect(rows[0]?.facts).toMatchObject({ container: 'FLAC', sampleRateHz: 48_000, bitDepth: 16, channels: 1 });
    expect(rows[0]?.record.fxName).toBe(`Wheel ${seed}`);
  });

  it('may not be the landing folder, hold it, or lie outside of the roots', async () => {
    const body = (source: string) => ({ body: { name: 'x', collectionId: 1, source } });
    expect((await app.send('makeArrival', body(app.drive))).body).toMatchObject({ code: 'BAD_REQUEST' });
    expect((await app.send('makeArrival', body(landing))).body).toMatchObject({ code: 'BAD_REQUEST' });
    expect((await app.send('makeArrival', body('/etc'))).body).toMatchObject({ code: 'PATH_OUTSIDE_ROOTS' });
  });
});

describe('an arrival', () => {
  it('that was cut short anywhere ends as if it had not been', async () => {
    const { id } = await arrive();
    const files = {
      'a.wav': sound(1),
      'b.wav': sound(2),
      'P.zip': zipBytes([
        { name: 'c.wav', bytes: sound(3) },
        { name: 'd.wav', bytes: sound(4) },
      ]),
    };
    await sendAll(id, files);
    await finish(id);
    const { db } = app.context;
    // As a process leaves it that was killed after files were named and before that was noted.
    await db.execute(`update arrivals set state = 'placing', batch_id = null where id = ${id}`);
    await db.execute(
      `update arrival_files set state = 'here' where arrival_id = ${id} and path in ('a.wav', 'P/c.wav')`,
    );
    await app.ended(await app.call('finishArrival', { params: { id } }));
    const { arrival, left } = await standing(id);
    // It is done: nothing of it goes on.
    expect((await app.send('finishArrival', { params: { id } })).body).toMatchObject({ code: 'PLAN_NOT_RUNNABLE' });
    expect(left).toEqual([]);
    expect(await onDisk(arrival)).toEqual(['a.wav', 'b.wav', 'c.wav', 'd.wav']);
  });

  it('whose source goes away meanwhile decides nothing about its files, and takes them when it is back', async () => {
    const source = path.join(app.drive, `Stick ${seed}`);
    await mkdir(source);
    for (const at of [1, 2, 3]) await writeFile(path.join(source, `take ${at}.wav`), sound(at));
    const { arrival, job } = await app.call('makeArrival', {
      body: { name: `Stick ${(count += 1)}`, collectionId: 1, source },
    });
    await app.ended(job ?? (await app.call('finishArrival', { params: { id: arrival.id } })));
    // As it stands when one file is not done and the source is gone.
    await app.context.db.execute(`update arrivals set state = 'placing', batch_id = null where id = ${arrival.id}`);
    await app.context.db.execute(
      `update arrival_files set state = 'here', target = '' where arrival_id = ${arrival.id} and path = 'take 2.wav'`,
    );
    await rm(path.join(app.drive, arrival.folder, 'take 2.wav'));
    await rename(source, `${source} away`);
    const failed = await app.ended(await app.call('finishArrival', { params: { id: arrival.id } }));
    expect(failed).toMatchObject({ state: 'failed', error: { code: 'PATH_NOT_FOUND' } });
    const standsSo = (await app.call('listArrivals')).find(({ id }) => id === arrival.id);
    expect(standsSo).toMatchObject({ state: 'placing', isUnderWay: false, files: { here: 1, placed: 2, left: 0 } });
    await rename(`${source} away`, source);
    await app.ended(await app.call('finishArrival', { params: { id: arrival.id } }));
    expect(namesOf((await standing(arrival.id)).rows)).toEqual(['take 1.wav', 'take 2.wav', 'take 3.wav']);
  });

  it('has a folder of its own also when another one has its name', async () => {
    const [one, other] = await Promise.all(
      [1, 2].map(() => app.call('makeArrival', { body: { name: 'Twice: the/same', collectionId: 1 } })),
    );
    expect([one?.arrival.folder, other?.arrival.folder].sort()).toEqual([
      'Landing/Twice the same',
      'Landing/Twice the same 01',
    ]);
    for (const each of [one, other]) await app.call('giveUpArrival', { params: { id: each?.arrival.id ?? 0 } });
    expect(await readdir(landing)).not.toContain('Twice the same');
  });

  it('is not begun where nobody chose a landing folder, and goes nowhere else by a link', async () => {
    const made = await app.call('makeCollection', { body: { name: 'Without a landing' } });
    const other = made.find(({ name }) => name === 'Without a landing')?.id ?? 0;
    expect((await app.send('makeArrival', { body: { name: 'x', collectionId: other } })).body).toMatchObject({
      code: 'PLACE_UNKNOWN',
    });

    const { id, folder } = await arrive();
    await sendAll(id, { 'in/door.wav': sound(1) });
    const outside = path.join(app.drive, '..', `outside-${process.pid}-${seed}`);
    await mkdir(outside);
    await symlink(outside, path.join(app.drive, folder, 'in'));
    const { left } = await finish(id);
    expect(why(left)).toEqual({ 'in/door.wav': 'PATH_OUTSIDE_ROOTS' });
    expect(await readdir(outside)).toEqual([]);
    await rm(outside, { recursive: true });
  });

  it('tells the size of a file anew when another one is announced by its path', async () => {
    const { id, folder } = await arrive();
    await sendAll(id, { 'door.wav': sound(1) });
    const longer = new Uint8Array([...sound(2), 0, 0]);
    await sendAll(id, { 'door.wav': longer });
    const { rows } = await finish(id);
    expect(namesOf(rows)).toEqual(['door.wav']);
    expect((await stat(path.join(app.drive, folder, 'door.wav'))).size).toBe(longer.length);
  });
});
