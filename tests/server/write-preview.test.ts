import { readFile } from 'node:fs/promises';
import path from 'node:path';
import { afterAll, beforeAll, expect, it } from '@jest/globals';
import { memorySource } from '@flagstone/core/formats/byte-source';
import { readAudio } from '@flagstone/server/disk/read-audio';
import { TestApplication } from './test-application.ts';

let app: TestApplication;
beforeAll(async () => {
  app = await TestApplication.open();
  await app.put('mill/race.wav', {
    // A genre of no category, and a creator that another place contradicts.
    tags: { info: { INAM: 'Mill race', IGNR: 'Ambient', IART: 'Second Hand' }, bext: { originator: 'First Hand' } },
  });
});
afterAll(() => app.close());

it('shows every place that a write replaces, also those that no field reads, and just that is written', async () => {
  const { batchId } = await app.intake('mill');
  await app.call('editRecords', {
    body: { selection: { kind: 'batch', batchId }, edit: { set: { catId: 'WATRFlow', creator: 'First Hand' } } },
  });
  const plan = await app.call('makePlan', { body: { kind: 'write', selection: { kind: 'batch', batchId } } });
  const { items } = await app.call('listPlanItems', { params: { id: plan.id }, query: { after: 0 } });
  const [item] = items;
  expect(item?.before['places']).toMatchObject({ 'INFO IGNR': 'Ambient' });
  const promised = item?.after['places'] as Record<string, string>;
  expect(promised['INFO IGNR']).toBe('WATER / FLOW');
  expect(Object.keys(promised)).not.toContain('INFO INAM');
  await app.ended(await app.call('runPlan', { params: { id: plan.id }, body: {} }));
  const { places, unread } = await readAudio(
    memorySource(new Uint8Array(await readFile(path.join(app.drive, 'mill/race.wav')))),
  );
  expect(unread).toEqual([]);
  for (const [place, text] of Object.entries(promised))
    expect(
      places
        .filter((each) => each.place === place)
        .map(({ value }) => String(value))
        .join(' / '),
    ).toBe(text);
});
