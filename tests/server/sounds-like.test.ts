import { readdir } from 'node:fs/promises';
import os from 'node:os';
import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { heardSoundSchema, type HeardSound } from '@flagstone/contract/listening';
import { wavBytes } from '@flagstone/demo/wav-file';
import { TestApplication } from './test-application.ts';

const RATE = 48_000;
/** When the knocks of each sound come, in seconds. */
const KNOCKS: Record<string, number[]> = {
  'once.wav': [0.1],
  'three even.wav': [0.1, 0.5, 0.9],
  'two then one.wav': [0.1, 0.2, 1.1],
  'late.wav': [1.1],
};
let app: TestApplication;

/** Knocks of a twentieth of a second that fade, made of noise or of a tone. */
function knocks(times: readonly number[], colour: 'noise' | number): Uint8Array {
  let random = 7;
  const signal = Float32Array.from({ length: 1.3 * RATE }, (_, frame) => {
    random = (random * 16_807) % 2_147_483_647;
    const carrier = colour === 'noise' ? random / 1_073_741_823 - 1 : Math.sin((2 * Math.PI * colour * frame) / RATE);
    const since = times.map((time) => frame / RATE - time).filter((after) => after >= 0 && after < 0.2);
    return 0.8 * carrier * since.reduce((sum, after) => sum + Math.exp(-after * 40), 0);
  });
  return wavBytes([signal], { rate: RATE, bits: 16 });
}

beforeAll(async () => {
  app = await TestApplication.open();
  for (const [name, times] of Object.entries(KNOCKS))
    await app.put(`knocks/${name}`, { bytes: knocks(times, 'noise') });
  const { batchId } = await app.intake();
  await app.call('fileBatch', { params: { id: batchId } });
  await app.measured();
});
afterAll(() => app.close());

const send = (bytes: Uint8Array, by = 'everything') =>
  app.http
    .post('/api/sounds-like')
    .query({ by })
    .set('Host', '127.0.0.1')
    .set('Content-Type', 'application/octet-stream')
    .send(Buffer.from(bytes));
const heard = async (bytes: Uint8Array, by?: string): Promise<HeardSound> => {
  const answer = await send(bytes, by);
  expect(answer.status).toBe(200);
  return heardSoundSchema.parse(answer.body);
};
const nearest = ({ alike }: HeardSound): string | undefined => alike[0]?.row.name;

describe('a sound from outside', () => {
  it.each(Object.keys(KNOCKS))('finds itself first: %s', async (name) => {
    const found = await heard(knocks(KNOCKS[name] ?? [], 'noise'));
    expect(nearest(found)).toBe(name);
    expect(found.alike).toHaveLength(4);
    expect(found.durationSeconds).toBeCloseTo(1.3, 3);
    expect(found.alike[0]?.shares).toEqual(expect.arrayContaining(['length', 'loudness', 'brightness', 'noise']));
  });

  it.each(Object.keys(KNOCKS))('of another colour finds the one that goes alike: %s', async (name) => {
    // Hummed, as it were.
    expect(nearest(await heard(knocks(KNOCKS[name] ?? [], 180), 'shape'))).toBe(name);
  });

  it('that is silent is like none', async () => {
    expect(await heard(wavBytes([new Float32Array(RATE)], { rate: RATE, bits: 16 }))).toEqual({
      durationSeconds: 1,
      alike: [],
    });
  });

  it('that is no audio is refused by name, not by where it lies here', async () => {
    const answer = await send(new TextEncoder().encode('a shopping list'));
    expect(answer.status).toBe(422);
    expect(answer.body).toMatchObject({ code: 'FORMAT_UNKNOWN' });
    expect(JSON.stringify(answer.body)).not.toContain(os.tmpdir());
    expect((await send(new Uint8Array(0))).status).toBe(422);
  });

  it('is asked for by somebody, and by known ways', async () => {
    expect((await app.nobody.post('/api/sounds-like').query({ by: 'everything' })).status).toBe(401);
    expect((await send(knocks([0.1], 'noise'), 'smell')).status).toBe(400);
  });

  it('is not kept', async () => {
    expect((await readdir(os.tmpdir())).filter((name) => name.startsWith('flagstone-heard-'))).toEqual([]);
    expect((await app.call('listCatalogue')).total).toBe(4);
  });
});
