import { execFile } from 'node:child_process';
import { readFile } from 'node:fs/promises';
import path from 'node:path';
import { promisify } from 'node:util';
import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import type { SoundRow } from '@flagstone/contract/record';
import { TestApplication } from './test-application.ts';

const run = promisify(execFile);
let app: TestApplication;
let rows: SoundRow[] = [];
let batchId = 0;

/** Files of other containers as ffmpeg makes them from one WAV. */
beforeAll(async () => {
  app = await TestApplication.open();
  const wav = await app.put('tone.wav', { seed: 42 });
  for (const name of ['tone.aiff', 'tone.flac', 'tone.mp3', 'tone.ogg', 'tone.opus', 'tone.m4a', 'tone.caf']) {
    await run('ffmpeg', ['-v', 'error', '-i', wav, '-metadata', 'title=Kiln Tone', path.join(app.drive, name)]);
  }
  await run('sox', [wav, '-e', 'a-law', path.join(app.drive, 'alaw.wav')]);
  await app.put('renamed.aif', { seed: 43 });
  ({ batchId } = await app.intake());
  ({ rows } = await app.call('listBatchRows', { params: { id: batchId }, query: { sort: 'name' } }));
});
afterAll(() => app.close());

const row = (name: string): SoundRow | undefined => rows.find((each) => each.name === name);

describe('other containers', () => {
  it('are listed with their facts', () => {
    expect(row('tone.aiff')?.facts).toMatchObject({
      container: 'AIFF',
      sampleRateHz: 48000,
      bitDepth: 16,
      channels: 1,
      frames: 2400,
    });
    expect(row('tone.flac')?.facts).toMatchObject({
      container: 'FLAC',
      sampleRateHz: 48000,
      bitDepth: 16,
      channels: 1,
      frames: 2400,
    });
    for (const name of ['tone.mp3', 'tone.ogg', 'tone.opus'])
      expect(row(name)).toMatchObject({
        facts: { sampleRateHz: 48000, channels: 1, frames: 2400 },
        record: { fxName: 'Kiln Tone' },
      });
    expect(row('tone.m4a')?.facts).toMatchObject({ container: 'M4A', sampleRateHz: 48000, channels: 1 });
    expect(row('alaw.wav')?.facts).toMatchObject({ container: 'WAV', codec: 'A-law', frames: 2400 });
    expect(row('tone.flac')?.record.fxName).toBe('Kiln Tone');
  });

  it('hold the same sound when AIFF, CAF and WAV hold the same samples', () => {
    expect(row('tone.aiff')?.soundId).toBe(row('tone.wav')?.soundId);
    expect(row('tone.caf')?.soundId).toBe(row('tone.wav')?.soundId);
    expect(row('tone.wav')?.copyCount).toBe(3);
  });

  it('are known by their content when the name says otherwise, and the row says so', () => {
    expect(row('renamed.aif')).toMatchObject({ facts: { container: 'WAV' }, issues: [{ code: 'OTHER_EXTENSION' }] });
  });

  it('are written and undone like any other; those that are only read say so, file by file', async () => {
    const selection = { kind: 'batch', batchId };
    const bytesOf = async () =>
      Object.fromEntries(
        await Promise.all(
          rows.map(async ({ name }) => [name, await readFile(path.join(app.drive, name), 'base64')] as const),
        ),
      );
    const before = await bytesOf();
    await app.call('editRecords', {
      body: { selection, edit: { set: { library: 'Clay', notes: 'of the kiln yard' } } },
    });
    const plan = await app.call('makePlan', { body: { kind: 'write', selection } });
    const { items } = await app.call('listPlanItems', { params: { id: plan.id } });
    const blocked = items
      .filter((item) => item.state === 'blocked')
      .map((item) => [item.before['name'], item.problems[0]?.code]);
    expect(blocked.sort()).toEqual(['tone.caf', 'tone.m4a'].map((name) => [name, 'FORMAT_NOT_WRITABLE']));
    const job = await app.ended(await app.call('runPlan', { params: { id: plan.id }, body: {} }));
    expect(job).toMatchObject({ done: rows.length - 2, failed: 0 });
    const written = (await app.call('listBatchRows', { params: { id: batchId }, query: { sort: 'name' } })).rows;
    expect(written.filter((each) => each.state !== 'inStep').map((each) => each.name)).toEqual([
      'tone.caf',
      'tone.m4a',
    ]);
    await app.ended(await app.call('undoPlan', { params: { id: plan.id } }));
    expect(await bytesOf()).toEqual(before);
  });

  it('are drawn through ffmpeg where they are coded', async () => {
    const answer = await app.http
      .get(`/api/sounds/${row('tone.flac')?.soundId}/peaks`)
      .set('Host', 'localhost')
      .responseType('blob');
    expect(answer.headers).toMatchObject({ 'x-peaks-channels': '1', 'x-peaks-buckets': '2048' });
    const wav = await app.http
      .get(`/api/sounds/${row('tone.wav')?.soundId}/peaks`)
      .set('Host', 'localhost')
      .responseType('blob');
    expect(Buffer.compare(answer.body as Buffer, wav.body as Buffer)).toBe(0);
  });
});
