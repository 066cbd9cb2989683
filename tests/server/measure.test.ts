import { stat, writeFile } from 'node:fs/promises';
import path from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { PEAK_BYTES } from '@flagstone/core/audio/peaks';
import { mp3Frames } from '@flagstone/demo/container-files';
import { wavBytes } from '@flagstone/demo/wav-file';
import { analyses, copies, measuringNow, sounds } from '@flagstone/server/db/schema';
import { measureCopy } from '@flagstone/server/listening/analyses';
import { measureNewSounds, remeasureOutdated } from '@flagstone/server/listening/measure-job';
import { MOST_WAVES, WAVE_BUCKETS } from '@flagstone/contract/measures';
import type { SoundRow } from '@flagstone/contract/record';
import { eq } from 'drizzle-orm';
import pg from 'pg';
import { TestApplication, toneBytes } from './test-application.ts';

let app: TestApplication;
beforeAll(async () => {
  app = await TestApplication.open();
});
afterAll(() => app.close());

const sine = (seconds: number, dbfs: number, change?: number): Float32Array =>
  Float32Array.from({ length: seconds * 48_000 }, (_, index) =>
    index === change ? 0.9 : 10 ** (dbfs / 20) * Math.sin((2 * Math.PI * 1000 * index) / 48_000),
  );
const wav = (...channels: Float32Array[]): Uint8Array => wavBytes(channels, { rate: 48_000, bits: 24 });
const rowsOf = async (batchId: number, query = {}) =>
  (await app.call('listBatchRows', { params: { id: batchId }, query: { sort: 'name', ...query } })).rows;

/** Reads a loud and a quiet sound of that length, and a short one. */
async function readThree(folder: string, seconds: number): Promise<number> {
  const loud = sine(seconds, -20);
  await app.put(`${folder}/loud.wav`, {
    bytes: wav(
      loud,
      loud.map((value) => -value),
    ),
  });
  await app.put(`${folder}/quiet.wav`, { bytes: wav(sine(seconds, -40)) });
  await app.put(`${folder}/short.wav`, { seed: seconds });
  return (await app.intake(folder)).batchId;
}

describe('measuring what was read', () => {
  it('follows by itself, and tells loudness, peak and layout in the rows', async () => {
    const batchId = await readThree('first', 5);
    const [job] = await app.measured();
    expect(job).toMatchObject({ kind: 'measure', state: 'done', done: 3, failed: 0, total: 3 });
    const [loud, quiet, short] = await rowsOf(batchId);
    // A sine of 1 kHz in two channels has the level of its peak in LUFS, in one 3 LU less (EBU Tech 3341, case 1).
    expect(loud?.measured?.loudnessLufs).toBeCloseTo(-20, 1);
    expect(loud?.measured).toMatchObject({ channelLayout: 'stereo' });
    expect(quiet?.measured?.loudnessLufs).toBeCloseTo(-43, 1);
    expect(short?.measured?.loudnessLufs).not.toBeNull();
    const analysis = await app.call('getAnalysis', { params: { id: loud?.soundId } });
    expect(analysis.measures).toMatchObject({ clippedSamples: 0, isDualMono: false, weight: expect.any(Number) });
    expect(analysis.measures?.correlation).toBeCloseTo(-1, 5);
    expect(analysis.audioDigest).toMatch(/^[0-9a-f]{64}$/);
  });

  it('sorts and narrows lists by loudness and length', async () => {
    const batchId = await readThree('narrowed', 6);
    await app.measured();
    const names = async (query: object): Promise<string[]> => (await rowsOf(batchId, query)).map((row) => row.name);
    expect(await names({ sort: 'loudness', direction: 'desc', length: '1..' })).toEqual(['loud.wav', 'quiet.wav']);
    expect(await names({ loudness: '-50..-30' })).toEqual(['quiet.wav']);
    expect(await names({ length: '..1' })).toEqual(['short.wav']);
    const answer = await app.send('listBatchRows', { params: { id: batchId }, query: { length: '1;drop' } });
    expect([answer.status, answer.body]).toMatchObject([400, { code: 'BAD_REQUEST' }]);
  });

  it('measures a sound once, and only reads its other copies', async () => {
    await app.put('second/weir.wav', { bytes: wav(sine(4, -20)) });
    const { batchId } = await app.intake('second');
    await app.measured();
    await app.put('second copy/weir again.wav', { bytes: wav(sine(4, -20)) });
    await app.intake('second copy');
    const soundId = (await rowsOf(batchId))[0]?.soundId ?? 0;
    const measuredAt = async () =>
      (await app.context.db.select().from(analyses).where(eq(analyses.soundId, soundId)))[0]?.measuredAt;
    const before = await measuredAt();
    await app.measured();
    expect(await measuredAt()).toEqual(before);
    const held = await app.context.db.select().from(copies).where(eq(copies.soundId, soundId));
    expect(held.map((copy) => copy.fullDigest)).toEqual([held[0]?.fullDigest, held[0]?.fullDigest]);
    expect(held[0]?.fullDigest).toMatch(/^[0-9a-f]{64}$/);
  });

  it('parts sounds that only looked the same in the samples of the quick digest, each with the record', async () => {
    // One sample differs, between the blocks that the quick digest reads.
    await app.put('third/take.wav', { bytes: wav(sine(10, -20)) });
    await app.put('third/take declicked.wav', { bytes: wav(sine(10, -20, 10_000)) });
    const { batchId, job } = await app.intake('third');
    expect(job.result).toMatchObject({ new: 1, alreadyHeld: 1 });
    await app.measured();
    const rows = await rowsOf(batchId);
    expect(new Set(rows.map((row) => row.soundId)).size).toBe(2);
    expect(rows.map((row) => row.record.fxName)).toEqual([rows[0]?.record.fxName, rows[0]?.record.fxName]);
    expect(rows.every((row) => row.measured !== null)).toBe(true);
    const digests = await app.context.db.select().from(sounds).where(eq(sounds.durationSeconds, 10));
    expect(new Set(digests.map((sound) => sound.fullDigest)).size).toBe(2);
  });

  it('leaves a file alone that ended Flagstone twice while it was measured, says so, and tries again when asked', async () => {
    await app.put('deadly/sluice.wav', { bytes: wav(sine(1, -12)) });
    await app.put('deadly/paddle.wav', { bytes: wav(sine(1, -14)) });
    const { batchId } = await app.intake('deadly');
    await app.measured();
    const { db } = app.context;
    const [copy] = await db.select().from(copies).where(eq(copies.name, 'sluice.wav'));
    const copyId = copy?.id ?? 0;
    // As two processes left it that were killed in the middle.
    await db.insert(measuringNow).values({ copyId, begun: 2 });
    await db.delete(analyses).where(eq(analyses.soundId, copy?.soundId ?? 0));
    await db.update(copies).set({ fullDigest: null }).where(eq(copies.id, copyId));
    await measureNewSounds(app.context);
    const [left] = await app.measured();
    expect(left?.failures).toMatchObject([{ code: 'WORK_FAILED', count: 1 }]);
    expect((await rowsOf(batchId)).map((row) => [row.name, row.measured !== null])).toEqual([
      ['paddle.wav', true],
      ['sluice.wav', false],
    ]);
    // Nothing begins it again by itself.
    expect(await measureNewSounds(app.context)).toBe(0);
    await db.update(copies).set({ fullDigest: null }).where(eq(copies.id, copyId));
    await db.delete(analyses).where(eq(analyses.soundId, copy?.soundId ?? 0));
    await measureNewSounds(app.context);
    expect((await app.measured())[0]).toMatchObject({ done: 1, failed: 0 });
    expect(await db.select().from(measuringNow)).toEqual([]);
  });

  it('notes what cannot be measured, goes on, and tries again when asked', async () => {
    const broken = await app.put('fourth/broken.mp3', {
      bytes: mp3Frames(40),
    });
    await app.put('fourth/fine.wav', { bytes: wav(sine(1, -10)) });
    await app.intake('fourth');
    const job = (await app.measured())[0];
    // Frames of zeros are silence to some decoders and damage to others: either way the job ends and the other sound is measured.
    expect(job).toMatchObject({ state: 'done', total: 2 });
    expect((job?.done ?? 0) + (job?.failed ?? 0)).toBe(2);
    await writeFile(broken, 'not audio any more');
    const [copy] = await app.context.db.select().from(copies).where(eq(copies.name, 'broken.mp3'));
    await app.context.db
      .update(copies)
      .set({ fullDigest: null })
      .where(eq(copies.id, copy?.id ?? 0));
    await app.context.db.delete(analyses).where(eq(analyses.soundId, copy?.soundId ?? 0));
    await measureNewSounds(app.context);
    const failed = (await app.measured())[0];
    expect(failed).toMatchObject({ state: 'done', done: 0, failed: 1 });
    expect(failed?.failures).toMatchObject([{ code: 'FORMAT_UNKNOWN', count: 1 }]);
    expect(failed?.failures[0]?.examples[0]).toContain('fourth/broken.mp3');
    expect((await app.call('getAnalysis', { params: { id: copy?.soundId } })).error).toMatchObject({
      code: 'FORMAT_UNKNOWN',
    });
    // Another sound in its place is not said of this one before it was read.
    await writeFile(broken, wav(sine(2, -12)));
    const other = await app.ended(await app.call('resumeJob', { params: { id: failed?.id } }));
    expect(other.failures).toMatchObject([{ code: 'FILE_CHANGED', count: 1 }]);
    await app.intake('fourth');
    await app.measured();
    const again = await app.ended(await app.call('resumeJob', { params: { id: failed?.id } }));
    expect(again).toMatchObject({ state: 'done', failed: 0, done: 0 });
    const [read] = await app.context.db.select().from(copies).where(eq(copies.name, 'broken.mp3'));
    expect(read?.fullDigest).toMatch(/^[0-9a-f]{64}$/);
    expect(read?.soundId).not.toBe(copy?.soundId);
  });

  it('measures again what an earlier version measured', async () => {
    await readThree('earlier', 7);
    await app.measured();
    expect(await remeasureOutdated(app.context)).toBe(0);
    await app.context.db.update(analyses).set({ version: 0 });
    expect(await remeasureOutdated(app.context)).toBeGreaterThanOrEqual(3);
    await measureNewSounds(app.context);
    expect((await app.measured())[0]).toMatchObject({ state: 'done', failed: 0 });
    expect(await remeasureOutdated(app.context)).toBe(0);
  });
});

describe('the picture of a waveform', () => {
  const picture = async (soundId: number | undefined, query = {}) => {
    const answer = await app.http
      .get(`/api/sounds/${soundId}/peaks`)
      .query(query)
      .set('Host', 'localhost')
      .responseType('blob');
    return { status: answer.status, buckets: Number(answer.headers['x-peaks-buckets']), bytes: answer.body as Buffer };
  };

  it('has as many buckets as asked for, of the part that was asked for', async () => {
    const signal = new Float32Array(48_000 * 60);
    signal[48_000 * 30] = 1;
    await app.put('picture/click.wav', { bytes: wav(signal) });
    const { batchId } = await app.intake('picture');
    const [row] = await rowsOf(batchId);
    const whole = await picture(row?.soundId, { buckets: 300 });
    expect([whole.buckets, whole.bytes.length]).toEqual([300, 300 * PEAK_BYTES]);
    expect(whole.bytes.indexOf(127)).toBe(150 * PEAK_BYTES + 1);
    const close = await picture(row?.soundId, { from: 48_000 * 29, to: 48_000 * 31, buckets: 100 });
    expect(close.buckets).toBe(100);
    expect(Math.abs(close.bytes.indexOf(127) / PEAK_BYTES - 50)).toBeLessThan(2);
    const before = await picture(row?.soundId, { from: 0, to: 48_000, buckets: 100 });
    expect(before.bytes.every((byte) => byte === 0)).toBe(true);
    expect((await picture(row?.soundId)).bytes.length).toBe(2048 * PEAK_BYTES);
    expect((await picture(row?.soundId, { buckets: 0 })).status).toBe(400);
  });

  it('is had small for many rows at once, all channels in one, of those sounds that were measured', async () => {
    const click = new Float32Array(48_000 * 8);
    click[48_000 * 2] = -1;
    await app.put('small/two.wav', { bytes: wav(sine(8, -20), click) });
    await app.put('small/short.wav', { bytes: wav(sine(1, 0).subarray(0, 10)) });
    const { batchId } = await app.intake('small');
    await app.measured();
    const [short, two] = (await rowsOf(batchId)).map((row) => row.soundId);
    const waves = await app.call('getWaves', { query: { sounds: `${two},${short},999999` } });
    expect(waves.map(({ soundId }) => soundId).sort()).toEqual([two, short].sort());
    const bytes = (soundId: number | undefined) =>
      Buffer.from(waves.find((wave) => wave.soundId === soundId)?.values ?? '', 'base64');
    expect(bytes(two)).toHaveLength(WAVE_BUCKETS * PEAK_BYTES);
    // The click of the right channel stands a quarter in, among the peaks of a sine of a tenth of full scale.
    expect(bytes(two).readInt8(WAVE_BUCKETS * 0.25 * PEAK_BYTES)).toBe(-127);
    expect(bytes(two).readInt8(60 * PEAK_BYTES)).toBe(-13);
    expect(bytes(short)).toHaveLength(10 * PEAK_BYTES);
    for (const sounds of ['', '1;drop', '-1', Array.from({ length: MOST_WAVES + 1 }, () => 1).join(',')])
      expect((await app.send('getWaves', { query: { sounds } })).status).toBe(400);
  });

  it('is drawn at once for a sound that was not measured yet', async () => {
    await app.put('not measured/new.wav', { bytes: toneBytes(77) });
    const { batchId } = await app.intake('not measured');
    const row = (await rowsOf(batchId)).find((each) => each.name === 'new.wav');
    expect((await picture(row?.soundId)).buckets).toBe(2048);
    expect(path.basename(row?.name ?? '')).toBe('new.wav');
  });
});

it('does not wait for an edit of the record that is under way, which would wait for it in turn', async () => {
  const file = await app.put('beside/edit.wav', { seed: 4711 });
  const { batchId } = await app.intake('beside');
  await app.measured();
  const [row] = (await rowsOf(batchId)) as [SoundRow];
  const { mtimeMs } = await stat(file);
  const edit = new pg.Client(app.databaseAddress);
  await edit.connect();
  try {
    // What a new revision of the record holds until the edit is done, by its foreign key.
    await edit.query('begin');
    await edit.query('select from sounds where id = $1 for key share', [row.soundId]);
    await measureCopy(app.context, { ...row, mtimeMs, path: file });
    await edit.query('rollback');
  } finally {
    await edit.end();
  }
  expect(await app.context.db.$count(analyses, eq(analyses.soundId, row.soundId))).toBe(1);
});
