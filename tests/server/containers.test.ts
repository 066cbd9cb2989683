import { execFile } from 'node:child_process';
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
  for (const name of ['tone.aiff', 'tone.flac', 'tone.mp3', 'tone.ogg', 'tone.m4a']) {
    await run('ffmpeg', ['-v', 'error', '-i', wav, '-metadata', 'title=Kiln Tone', path.join(app.drive, name)]);
  }
  await run('sox', [wav, '-e', 'a-law', path.join(app.drive, 'alaw.wav')]);
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
    expect(row('tone.mp3')?.facts).toMatchObject({ container: 'MP3', sampleRateHz: 48000, channels: 1 });
    expect(row('alaw.wav')?.facts).toMatchObject({ container: 'WAV', codec: 'A-law', frames: 2400 });
    expect(row('tone.flac')?.record.fxName).toBe('Kiln Tone');
  });

  it('hold the same sound when AIFF and WAV hold the same samples', () => {
    expect(row('tone.aiff')?.soundId).toBe(row('tone.wav')?.soundId);
    expect(row('tone.wav')?.copyCount).toBe(2);
  });

  it('that are not taken up yet are listed with the reason', async () => {
    const unreadable = await app.call('listUnreadable', { params: { id: batchId } });
    expect(unreadable.map((file) => [file.name, file.code])).toEqual([
      ['tone.m4a', 'FORMAT_NOT_YET'],
      ['tone.ogg', 'FORMAT_NOT_YET'],
    ]);
  });

  it('say plainly, file by file, that they cannot be written yet', async () => {
    const selection = { kind: 'batch', batchId };
    await app.call('editRecords', { body: { selection, edit: { set: { library: 'Clay' } } } });
    const plan = await app.call('makePlan', { body: { kind: 'write', selection } });
    const { items } = await app.call('listPlanItems', { params: { id: plan.id } });
    const blocked = items
      .filter((item) => item.state === 'blocked')
      .map((item) => [item.before['name'], item.problems[0]?.code]);
    expect(blocked.sort()).toEqual(['tone.aiff', 'tone.flac', 'tone.mp3'].map((name) => [name, 'FORMAT_NOT_WRITABLE']));
    expect(items.filter((item) => item.state === 'planned')).toHaveLength(2);
  });

  it('are drawn through ffmpeg where they are coded', async () => {
    const answer = await app.http
      .get(`/api/sounds/${row('tone.flac')?.soundId}/peaks`)
      .set('Host', 'localhost')
      .responseType('blob');
    expect(answer.headers).toMatchObject({ 'x-peaks-channels': '1', 'x-peaks-frames': '2400' });
    const wav = await app.http
      .get(`/api/sounds/${row('tone.wav')?.soundId}/peaks`)
      .set('Host', 'localhost')
      .responseType('blob');
    expect(Buffer.compare(answer.body as Buffer, wav.body as Buffer)).toBe(0);
  });
});
