import { execFile } from 'node:child_process';
import { mkdir, readdir, readFile, stat, unlink, writeFile } from 'node:fs/promises';
import path from 'node:path';
import { promisify } from 'node:util';
import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { parseSlices, slicesText } from '@flagstone/core/record/marks';
import { untouchedTryOut, type TryOut } from '@flagstone/core/audio/try-out/try-out';
import { memorySource } from '@flagstone/core/formats/byte-source';
import { writeBext } from '@flagstone/core/formats/wav/bext';
import { riffChunkBytes } from '@flagstone/core/formats/wav/riff-chunks';
import { wavBytes } from '@flagstone/demo/wav-file';
import { noiseSource } from '@flagstone/demo/test-signals';
import { batchItems, copies, journal } from '@flagstone/server/db/schema';
import { readAudio } from '@flagstone/server/disk/read-audio';
import { spectrogramOf } from '@flagstone/server/listening/listening';
import { recoverJournal } from '@flagstone/server/plans/plan-jobs';
import type { SoundRow } from '@flagstone/contract/record';
import { eq, sql } from 'drizzle-orm';
import { TestApplication, toneBytes } from './test-application.ts';

const run = promisify(execFile);
const RATE = 48_000;
let app: TestApplication;
let batchId = 0;

/** Knocks a second apart, each of its own strength. */
function knocks(count: number, seed = 3): Float32Array {
  const noise = noiseSource(seed);
  const signal = new Float32Array((count + 0.5) * RATE).map(() => 0.0005 * noise());
  for (let knock = 0; knock < count; knock += 1)
    for (let at = 0; at < 0.3 * RATE; at += 1) {
      const place = (0.25 + knock) * RATE + at;
      signal[place] = (signal[place] ?? 0) + (0.5 + knock / 20) * Math.exp(-at / (0.05 * RATE)) * Math.sin(at / 20 + 1);
    }
  return signal;
}

const WAV = wavBytes([knocks(4), knocks(4, 5)], { rate: RATE, bits: 24 }, {}, [
  riffChunkBytes('bext', writeBext(undefined, { timeReference: 1_000_000 })),
]);

beforeAll(async () => {
  app = await TestApplication.open();
  const wav = await app.put('takes/Kiln knocks.wav', { bytes: WAV });
  const folder = path.dirname(wav);
  await run('sox', ['-D', wav, path.join(folder, 'Knocks in aiff.aiff')]);
  await run('ffmpeg', ['-v', 'error', '-i', wav, '-af', 'volume=0.9', path.join(folder, 'Knocks in flac.flac')]);
  await run('ffmpeg', [
    '-v',
    'error',
    '-i',
    wav,
    '-af',
    'volume=0.8',
    '-b:a',
    '128k',
    path.join(folder, 'Knocks in mp3.mp3'),
  ]);
  ({ batchId } = await app.intake('takes'));
  await app.measured();
});
afterAll(() => app.close());

const rows = async (): Promise<SoundRow[]> =>
  (await app.call('listBatchRows', { params: { id: batchId }, query: { sort: 'name' } })).rows;
async function rowOf(start: string): Promise<SoundRow> {
  const row = (await rows()).find(({ name }) => name === start || name.startsWith(`${start}.`));
  if (!row) throw new Error(`there is no ${start}`);
  return row;
}
const get = (address: string) => app.http.get(`/api${address}`).set('Host', '127.0.0.1').buffer(true);
async function bytesAt(address: string): Promise<{ status: number; headers: Record<string, string>; body: Buffer }> {
  const answer = await get(address).parse((response, done) => {
    const parts: Buffer[] = [];
    response.on('data', (part: Buffer) => parts.push(part));
    response.on('end', () => done(null, Buffer.concat(parts)));
  });
  return { status: answer.status, headers: answer.headers, body: answer.body as Buffer };
}
/** The decoded samples of a file, by ffmpeg, as 32-bit integers. */
async function decoded(file: string, filter = 'anull'): Promise<string> {
  const { stdout } = await run('ffmpeg', [
    '-v',
    'error',
    '-i',
    file,
    '-af',
    filter,
    '-f',
    'md5',
    '-c:a',
    'pcm_s32le',
    '-',
  ]);
  return stdout.trim();
}
const places = (name: string): string => path.join(app.drive, 'takes', name);

describe('a sound as WAV, whatever its file is', () => {
  it.each(['Kiln knocks', 'Knocks in aiff', 'Knocks in flac'])('has the samples of %s', async (name) => {
    const row = await rowOf(name);
    const { status, body, headers } = await bytesAt(`/copies/${row.copyId}/audio?as=wav`);
    expect([status, headers['accept-ranges'], Number(headers['content-length'])]).toEqual([200, 'bytes', body.length]);
    const made = path.join(app.drive, 'made.wav');
    await writeFile(made, body);
    const depth = name.endsWith('flac') ? 'aformat=sample_fmts=s16' : 'anull';
    expect(await decoded(made, depth)).toBe(await decoded(places(row.name), depth));
  });

  it('is sent in the parts that are asked for', async () => {
    for (const start of ['Knocks in aiff', 'Knocks in flac']) {
      const { copyId } = await rowOf(start);
      const { body: whole } = await bytesAt(`/copies/${copyId}/audio?as=wav`);
      for (const [from, to] of [
        [0, 99],
        [40, 1000],
        [70_001, 200_002],
        [whole.length - 5, whole.length - 1],
      ]) {
        const part = await get(`/copies/${copyId}/audio?as=wav`).set('Range', `bytes=${from}-${to}`);
        expect([part.status, part.headers['content-range']]).toEqual([206, `bytes ${from}-${to}/${whole.length}`]);
        expect(Buffer.compare(part.body as Buffer, whole.subarray(from, (to ?? 0) + 1))).toBe(0);
      }
      expect((await get(`/copies/${copyId}/audio?as=wav`).set('Range', `bytes=${whole.length}-`)).status).toBe(416);
    }
  });

  it('is given as a part, bit by bit what sox trims', async () => {
    const { copyId } = await rowOf('Kiln knocks');
    const { body, headers } = await bytesAt(`/copies/${copyId}/part?from=12345&to=54321`);
    expect(headers['content-disposition']).toContain('Kiln knocks part.wav');
    const made = path.join(app.drive, 'part.wav');
    await writeFile(made, body);
    await run('sox', [
      '-D',
      places('Kiln knocks.wav'),
      path.join(app.drive, 'trimmed.wav'),
      'trim',
      '12345s',
      '=54321s',
    ]);
    expect(await decoded(made)).toBe(await decoded(path.join(app.drive, 'trimmed.wav')));
    expect((await get(`/copies/${copyId}/part?from=5&to=5`)).status).toBe(400);
  });
});

describe('what is drawn', () => {
  it('is samples as they are, also of the middle of a coded file', async () => {
    const [wav, flac] = [await rowOf('Kiln knocks'), await rowOf('Knocks in flac')];
    const of = async (id: number): Promise<Float32Array> => {
      const { body, headers } = await bytesAt(`/sounds/${id}/samples?from=50000&to=50100`);
      expect([headers['x-channels'], headers['x-sample-rate']]).toEqual(['2', '48000']);
      return new Float32Array(Uint8Array.from(body).buffer);
    };
    const plain = await of(wav.soundId);
    expect(plain).toHaveLength(200);
    (await of(flac.soundId)).forEach((value, at) =>
      expect(Math.abs(value - 0.9 * (plain[at] ?? 0))).toBeLessThan(1e-4),
    );
  });

  it('is a spectrogram of any part, the same of WAV and AIFF', async () => {
    const query = 'from=10000&to=90000&columns=50&rows=64&size=1024';
    const { body } = await bytesAt(`/sounds/${(await rowOf('Kiln knocks')).soundId}/spectrogram?${query}`);
    expect(body).toHaveLength(50 * 64);
    expect(Math.max(...body)).toBeGreaterThan(150);
    const flac = await bytesAt(`/sounds/${(await rowOf('Knocks in flac')).soundId}/spectrogram?${query}`);
    // 0.9 of the level is 0.9 dB less, two steps.
    flac.body.forEach((value, at) => expect(Math.abs(value - (body[at] ?? 0))).toBeLessThan(12));
    expect((await get(`/sounds/1/spectrogram?from=0&to=9&columns=5&rows=5&size=1000`)).status).toBe(400);
  });

  it('is brightness and loudness over time', async () => {
    const { soundId, facts } = await rowOf('Kiln knocks');
    const { body, headers } = await bytesAt(`/sounds/${soundId}/curves`);
    const brightness = Number(headers['x-brightness-values']);
    expect(Math.abs(brightness * Number(headers['x-brightness-hop']) - facts.durationSeconds)).toBeLessThan(0.1);
    expect(body.length - brightness).toBe(Math.floor(facts.durationSeconds * 10) - 3);
  });
});

const options = {
  sensitivity: 50,
  minimumSeconds: 0.1,
  preRollSeconds: 0.02,
  postRollSeconds: 0.1,
  toZeroCrossings: true,
};
/** Finds the slices of a sound and puts them, named, into its record. */
async function keepSlices({ soundId, copyId }: SoundRow): Promise<string> {
  const { slices } = await app.call('findSlices', { params: { id: soundId }, body: options });
  const named = slicesText(slices.map((slice, index) => ({ ...slice, name: `take ${index + 1}` })));
  const edit = { set: { slices: named, syncPoints: '12000 hit' } };
  await app.call('editRecords', { body: { selection: { kind: 'copies', copyIds: [copyId] }, edit } });
  return named;
}

describe('slices', () => {
  it('are found in every container alike, and nothing is recorded', async () => {
    for (const start of ['Kiln knocks', 'Knocks in aiff', 'Knocks in flac', 'Knocks in mp3']) {
      const { soundId, revision } = await rowOf(start);
      const { slices, syncPoints } = await app.call('findSlices', { params: { id: soundId }, body: options });
      expect(slices).toHaveLength(4);
      syncPoints.forEach(({ at }, index) => expect(Math.abs(at / RATE - 0.25 - index)).toBeLessThan(0.004));
      expect((await rowOf(start)).revision).toBe(revision);
    }
    expect((await app.send('findSlices', { params: { id: 999_999 }, body: options })).status).toBe(404);
    expect((await app.send('findSlices', { params: { id: 1 }, body: { ...options, sensitivity: 101 } })).status).toBe(
      400,
    );
  });

  it('are kept in the record, written into the file, read by another program, and undone', async () => {
    const row = await rowOf('Kiln knocks');
    const { copyId } = row;
    const named = await keepSlices(row);
    expect((await rowOf('Kiln knocks')).state).toBe('behind');
    const before = await decoded(places('Kiln knocks.wav'));
    const plan = await app.call('makePlan', {
      body: { kind: 'write', selection: { kind: 'copies', copyIds: [copyId] } },
    });
    await app.ended(await app.call('runPlan', { params: { id: plan.id }, body: {} }));
    expect((await rowOf('Kiln knocks')).state).toBe('inStep');
    const { stdout } = await run('sndfile-info', [places('Kiln knocks.wav')]);
    for (const { from } of parseSlices(named)) expect(stdout).toMatch(new RegExp(`\\b${from}\\b`));
    expect(stdout).toContain('take 3');
    expect(await decoded(places('Kiln knocks.wav'))).toBe(before);
  });

  it('that are none are refused with the line', async () => {
    const { copyId } = await rowOf('Kiln knocks');
    const edit = { set: { slices: 'from here to there' } };
    const answer = await app.send('editRecords', { body: { selection: { kind: 'copies', copyIds: [copyId] }, edit } });
    expect([answer.status, (answer.body as { code: string }).code]).toEqual([422, 'FIELD_INVALID']);
  });
});

describe('cutting out', () => {
  const cut = async (name: string, body: object) => {
    const { soundId } = await rowOf(name);
    return app.call('planCut', { params: { id: soundId }, body });
  };
  /** The names of the files that a cut makes. */
  const namesIn = async (id: number): Promise<string[]> =>
    (await app.call('listPlanItems', { params: { id } })).items.map((item) => String(item.after['name']));
  const rowsNamed = async (wanted: readonly string[]): Promise<SoundRow[]> =>
    (await rows()).filter(({ name }) => wanted.includes(name));
  const runPlan = async (id: number) => app.ended(await app.call('runPlan', { params: { id }, body: {} }));

  it('makes files of the parts, with the very samples, the record, the time and their source', async () => {
    const source = await rowOf('Kiln knocks');
    const [first, , third] = parseSlices(await keepSlices(source));
    const plan = await cut('Kiln knocks', {
      parts: [first, third].map((part) => ({ from: part?.from, to: part?.to })),
    });
    expect(plan.counts).toMatchObject({ all: 2, runnable: 2 });
    const planned = await namesIn(plan.id);
    expect(planned.every((name) => /^Kiln knocks \d\d\.wav$/.test(name))).toBe(true);
    const there = await readdir(path.join(app.drive, 'takes'));
    expect(there.filter((name) => planned.includes(name))).toEqual([]);
    expect(await runPlan(plan.id)).toMatchObject({ state: 'done', done: 2, failed: 0 });
    const made = await rowsNamed(planned);
    expect(made.map(({ name }) => name)).toEqual(planned);
    for (const [index, part] of [first, third].entries()) {
      const file = places(made[index]?.name ?? '');
      const trimmed = path.join(app.drive, `trim-${index}.wav`);
      await run('sox', ['-D', places('Kiln knocks.wav'), trimmed, 'trim', `${part?.from}s`, `=${part?.to}s`]);
      expect(await decoded(file)).toBe(await decoded(trimmed));
      const { facts, record } = await readAudio(memorySource(new Uint8Array(await readFile(file))));
      expect(facts).toMatchObject({
        timeReference: 1_000_000 + (part?.from ?? 0),
        bitDepth: 24,
        frames: (part?.to ?? 0) - (part?.from ?? 0),
      });
      expect(record.notes).toContain('Cut out of Kiln knocks.wav');
    }
    expect(parseSlices(made[0]?.record.slices ?? 'x')).toEqual([]);
    // The sync point that lies within the first part moved along.
    expect(made[0]?.record.syncPoints).toBe(`${12_000 - (first?.from ?? 0)} hit`);
    expect(made[0]?.state).toBe('inStep');
    const kin = await app.call('getKin', { params: { id: source.soundId } });
    expect(kin.children.map(({ name }) => name)).toEqual(expect.arrayContaining(planned));
    expect((await app.call('getKin', { params: { id: made[0]?.soundId } })).parent).toMatchObject({
      soundId: source.soundId,
      from: first?.from,
    });
  });

  it('is undone: the files go, unless somebody worked on them since', async () => {
    const plan = await cut('Kiln knocks', {
      parts: [
        { from: 0, to: 5000 },
        { from: 5000, to: 9000 },
      ],
    });
    await runPlan(plan.id);
    const made = await rowsNamed(await namesIn(plan.id));
    expect(made).toHaveLength(2);
    const edit = { set: { description: 'kept' } };
    await app.call('editRecords', { body: { selection: { kind: 'copies', copyIds: [made[1]?.copyId] }, edit } });
    const job = await app.ended(await app.call('undoPlan', { params: { id: plan.id } }));
    expect(job).toMatchObject({ done: 1, failed: 1 });
    const left = await readdir(path.join(app.drive, 'takes'));
    expect(left).not.toContain(made[0]?.name);
    expect(left).toContain(made[1]?.name);
    expect(left.filter((name) => name.startsWith('.flagstone-write'))).toEqual([]);
  });

  it('puts the files into another folder, numbered there, and takes them from there again', async () => {
    const toPath = path.join(app.drive, 'cuts', 'gates');
    await mkdir(toPath, { recursive: true });
    const parts = [500, 5500, 9500].map((from) => ({ from, to: from + 4000 }));
    const plan = await cut('Kiln knocks', { parts, toPath });
    const names = ['Kiln knocks 01.wav', 'Kiln knocks 02.wav', 'Kiln knocks 03.wav'];
    expect(await namesIn(plan.id)).toEqual(names);
    expect(await runPlan(plan.id)).toMatchObject({ done: 3, failed: 0 });
    expect((await readdir(toPath)).sort()).toEqual(names);
    const made = (await rows()).filter(({ folder }) => folder === 'cuts/gates');
    expect(made.map(({ name, collectionId }) => [name, collectionId])).toEqual(names.map((name) => [name, 1]));
    // Those that follow go on there.
    expect(await namesIn((await cut('Kiln knocks', { parts: [{ from: 20_000, to: 24_000 }], toPath })).id)).toEqual([
      'Kiln knocks 04.wav',
    ]);
    expect(await app.ended(await app.call('undoPlan', { params: { id: plan.id } }))).toMatchObject({ done: 3 });
    expect(await readdir(toPath)).toEqual([]);

    const { soundId } = await rowOf('Kiln knocks');
    const outside = await app.send('planCut', { params: { id: soundId }, body: { parts, toPath: '/etc' } });
    expect((outside.body as { code: string }).code).toBe('PATH_OUTSIDE_ROOTS');
  });

  it('leaves nothing to be found of a file whose name a later cut bears', async () => {
    const first = await cut('Kiln knocks', { parts: [{ from: 30_000, to: 31_000, name: 'again' }] });
    await runPlan(first.id);
    await app.ended(await app.call('undoPlan', { params: { id: first.id } }));
    const second = await cut('Kiln knocks', { parts: [{ from: 40_000, to: 41_000, name: 'again' }] });
    await runPlan(second.id);
    const { rows: told } = await app.context.db.execute(
      sql`select s.sound_id from search_rows s where s.name = 'kiln knocks again.wav'`,
    );
    expect(told).toHaveLength(1);
  });

  it('keeps FLAC without loss, decodes MP3 and says so, and fades what it is asked to', async () => {
    const flac = await cut('Knocks in flac', { parts: [{ from: 10_000, to: 60_000 }] });
    await runPlan(flac.id);
    const trimmed = 'atrim=start_sample=10000:end_sample=60000';
    expect(await decoded(places('Knocks in flac 01.flac'))).toBe(await decoded(places('Knocks in flac.flac'), trimmed));
    const mp3 = await cut('Knocks in mp3', { parts: [{ from: 10_000, to: 60_000 }] });
    const { items } = await app.call('listPlanItems', { params: { id: mp3.id } });
    expect(items[0]?.problems).toMatchObject([{ code: 'DECODED', severity: 'notice' }]);
    await runPlan(mp3.id);
    expect((await rowOf('Knocks in mp3 01')).facts).toMatchObject({ container: 'WAV', bitDepth: 24, frames: 50_000 });
    const faded = await cut('Kiln knocks', {
      parts: [{ from: 11_000, to: 30_000, name: 'soft' }],
      fadeInSeconds: 0.01,
      fadeOutSeconds: 0.1,
    });
    await runPlan(faded.id);
    const { soundId } = await rowOf('Kiln knocks soft');
    const { body } = await bytesAt(`/sounds/${soundId}/samples`);
    const samples = new Float32Array(Uint8Array.from(body).buffer);
    const original = new Float32Array(
      Uint8Array.from(
        (await bytesAt(`/sounds/${(await rowOf('Kiln knocks')).soundId}/samples?from=11000&to=30000`)).body,
      ).buffer,
    );
    expect([samples[0], samples[18_999]]).toEqual([0, 0]);
    expect(samples.slice(480, 14_200)).toEqual(original.slice(480, 14_200));
  });

  it('that was cut short is taken up when its file is there, and planned again when it is not', async () => {
    const { db } = app.context;
    const plan = await cut('Kiln knocks', { parts: [{ from: 20_000, to: 26_000, name: 'short cut' }] });
    await runPlan(plan.id);
    const file = places('Kiln knocks short cut.wav');
    const item = async () => (await db.select().from(journal).where(eq(journal.planId, plan.id)))[0];
    const madeId = Number((await item())?.after['madeCopyId']);
    // As if the process had died after the file got its name and before that was recorded.
    await db.delete(batchItems).where(eq(batchItems.copyId, madeId));
    await db.delete(copies).where(eq(copies.id, madeId));
    await db.update(journal).set({ state: 'started' }).where(eq(journal.planId, plan.id));
    expect(await recoverJournal(app.context, plan.id)).toBe(1);
    expect((await item())?.state).toBe('done');
    expect((await rowOf('Kiln knocks short cut')).facts.frames).toBe(6000);
    // As if it had died in the middle of taking it back: the file is gone, the row is not.
    await unlink(file);
    await db.update(journal).set({ state: 'undoing' }).where(eq(journal.planId, plan.id));
    await recoverJournal(app.context, plan.id);
    expect((await item())?.state).toBe('undone');
    expect((await rows()).some(({ name }) => name.includes('short cut'))).toBe(false);
    // As if it had died before the file was made, and somebody else's file bore the name since.
    await writeFile(file, toneBytes(77));
    await db.update(journal).set({ state: 'started' }).where(eq(journal.planId, plan.id));
    await recoverJournal(app.context, plan.id);
    expect((await item())?.state).toBe('planned');
    expect(Buffer.compare(await readFile(file), Buffer.from(toneBytes(77)))).toBe(0);
    await unlink(file);
  });

  it('refuses parts that do not lie in the sound, and never overwrites', async () => {
    const plan = await cut('Kiln knocks', {
      parts: [
        { from: 0, to: 99_999_999 },
        { from: 0, to: 700 },
      ],
    });
    expect(plan.counts).toMatchObject({ blocked: 1, runnable: 1 });
    const { items } = await app.call('listPlanItems', { params: { id: plan.id } });
    const name = String(items[1]?.after['name']);
    await writeFile(places(name), 'somebody else was here');
    expect(await runPlan(plan.id)).toMatchObject({ failed: 1 });
    expect(await readFile(places(name), 'utf8')).toBe('somebody else was here');
  });
});

it('draws for the next one who asks when two long drawings were given up', async () => {
  await mkdir(path.join(app.drive, 'long'));
  const long = path.join(app.drive, 'long', 'weir.flac');
  await run('ffmpeg', ['-v', 'error', '-f', 'lavfi', '-i', 'anoisesrc=d=900:r=48000:seed=3', '-ac', '1', long]);
  const { batchId: longBatch } = await app.intake('long');
  const [row] = (await app.call('listBatchRows', { params: { id: longBatch } })).rows;
  if (!row) throw new Error('it was read');
  const { soundId, facts } = row;
  const draw = (to: number, signal: AbortSignal) =>
    spectrogramOf(
      app.context,
      soundId,
      'all',
      { from: 0, to, columns: 1500, rows: 200, size: 2048, scale: 'log', channel: 0 },
      signal,
    );
  // As many as there are threads for it, and one that waits behind them.
  const givenUp = Array.from({ length: app.context.workers.threads + 1 }, () => new AbortController());
  const drawings = givenUp.map(({ signal }) => draw(facts.frames, signal));
  const threads = path.join('/proc', String(process.pid), 'task');
  const decoders = async () => {
    const children = await Promise.all(
      (await readdir(threads)).map((each) => readFile(path.join(threads, each, 'children'), 'utf8').catch(() => '')),
    );
    return children.join(' ').trim().split(/\s+/).filter(Boolean).length;
  };
  while ((await decoders()) < app.context.workers.threads);
  for (const each of givenUp) each.abort();
  for (const drawing of drawings) await expect(drawing).rejects.toMatchObject({ name: 'AbortError' });
  const answered = await draw(48_000, new AbortController().signal);
  expect(answered.length).toBeGreaterThan(0);
  await unlink(long);
});

describe('trying out', () => {
  const post = (id: number, body: object) =>
    app.http.post(`/api/sounds/${id}/export`).set('Host', '127.0.0.1').send(body).buffer(true);
  const withTile = (kind: TryOut[number]['kind'], values: object): TryOut =>
    untouchedTryOut().map((tile) => (tile.kind === kind ? { ...tile, ...values, on: true } : tile));

  it('makes a file of its own with a note of what was done, and leaves the original', async () => {
    const { soundId } = await rowOf('Kiln knocks');
    const { mtimeMs, size } = await stat(places('Kiln knocks.wav'));
    const answer = await post(soundId, { part: { from: 0, to: 48_000 }, tryOut: withTile('speed', { percent: 50 }) });
    expect(answer.status).toBe(200);
    const { facts, record, issues } = await readAudio(memorySource(new Uint8Array(answer.body as Buffer)));
    expect(facts).toMatchObject({ frames: 96_000, bitDepth: 24, timeReference: 1_000_000 });
    expect([issues, record.slices]).toEqual([[], undefined]);
    expect(Buffer.from(answer.body as Buffer).toString('latin1')).toContain('speed 50 %');
    const after = await stat(places('Kiln knocks.wav'));
    expect([after.mtimeMs, after.size]).toEqual([mtimeMs, size]);
  });

  it('is the same by a plain address, as it is dragged out of the page', async () => {
    const { soundId } = await rowOf('Kiln knocks');
    const tryOut = withTile('speed', { percent: 50 });
    const posted = await post(soundId, { part: { from: 0, to: 48_000 }, tryOut });
    const steps = encodeURIComponent(JSON.stringify(tryOut));
    const get = (query: string) => app.http.get(`/api/sounds/${soundId}/tried-out?${query}`).buffer(true);
    const dragged = await get(`from=0&to=48000&steps=${steps}`);
    expect([dragged.status, Buffer.compare(dragged.body as Buffer, posted.body as Buffer)]).toEqual([200, 0]);
    for (const query of ['steps=x', `steps=${steps}&from=9&to=3`, 'steps=[]&other=1', `steps=${steps}&from=5`, ''])
      expect([query, (await get(query)).status]).toEqual([query, 400]);
  });

  it('refuses what is out of range', async () => {
    const { soundId } = await rowOf('Kiln knocks');
    expect((await post(soundId, { part: null, tryOut: withTile('speed', { percent: 1000 }) })).status).toBe(400);
    expect((await post(soundId, { part: { from: 9, to: 3 }, tryOut: [] })).status).toBe(400);
  });
});

describe('pull lists', () => {
  it('hold sounds and parts with their settings, in an order that can be changed', async () => {
    const [list] = await app.call('makePullList', { body: { name: 'Reel 2', show: 'The Last Kiln', scene: '14' } });
    const id = list?.id ?? 0;
    const [wav, flac] = [await rowOf('Kiln knocks'), await rowOf('Knocks in flac')];
    const tryOut = untouchedTryOut();
    await app.call('addPullEntry', {
      params: { id },
      body: { soundId: wav.soundId, part: { from: 0, to: 24_000 }, tryOut },
    });
    await app.call('addPullEntry', { params: { id }, body: { soundId: flac.soundId } });
    let entries = await app.call('addPullEntry', {
      params: { id },
      body: { soundId: wav.soundId, comment: 'as it is' },
    });
    expect(entries.map(({ row, part }) => [row.soundId, part?.to])).toEqual([
      [wav.soundId, 24_000],
      [flac.soundId, undefined],
      [wav.soundId, undefined],
    ]);
    const [first, second, third] = entries.map((entry) => entry.id);
    // Often enough that no number is left between two places.
    for (let round = 0; round < 40; round += 1) {
      await app.call('takePullEntries', { params: { id }, body: { entryIds: [third], before: second } });
      await app.call('takePullEntries', { params: { id }, body: { entryIds: [second], before: third } });
    }
    await app.call('takePullEntries', { params: { id }, body: { entryIds: [third], before: first } });
    entries = await app.call('updatePullEntry', { params: { id: third }, body: { comment: 'first of all' } });
    expect(entries.map((entry) => entry.id)).toEqual([third, first, second]);
    expect(entries[0]?.comment).toBe('first of all');
    const exported = await bytesAt(`/pull-entries/${first}/export`);
    expect((await readAudio(memorySource(exported.body))).facts.frames).toBe(24_000);
    entries = await app.call('removePullEntries', { params: { id }, body: { entryIds: [second] } });
    expect(entries).toHaveLength(2);
    expect((await app.call('listPullLists'))[0]).toMatchObject({ name: 'Reel 2', entries: 2 });
    expect((await app.send('addPullEntry', { params: { id }, body: { soundId: 999_999 } })).status).toBe(404);
    expect(await app.call('removePullList', { params: { id } })).toEqual([]);
  });
});

describe('sounds alike', () => {
  it('are the nearest ones that are filed, with what they share', async () => {
    for (const seed of [11, 12, 13])
      await app.put(`alike/Hammer ${seed}.wav`, { bytes: wavBytes([knocks(3, seed)], { rate: RATE, bits: 24 }) });
    const { batchId: hammers } = await app.intake('alike');
    await app.measured();
    await app.call('fileBatch', { params: { id: hammers } });
    const [first] = (await app.call('listBatchRows', { params: { id: hammers } })).rows;
    const alike = await app.call('listAlike', { params: { id: first?.soundId } });
    expect(alike.length).toBeGreaterThan(1);
    expect(alike.map(({ row }) => row.soundId)).not.toContain(first?.soundId);
    expect(alike[0]?.row.name).toMatch(/^Hammer 1\d\./);
    expect(alike[0]?.shares).toEqual(expect.arrayContaining(['length', 'brightness']));
  });
});
