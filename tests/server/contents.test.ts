import { afterEach, beforeEach, describe, expect, it } from '@jest/globals';
import { TestApplication } from './test-application.ts';

let app: TestApplication;
let batchId = 0;
beforeEach(async () => {
  app = await TestApplication.open();
  await app.put('one mind.wav', { seed: 1, tags: { info: { INAM: 'Pot', ICMT: 'text' }, ixml: { NOTE: 'text' } } });
  await app.put('two minds.wav', {
    seed: 2,
    tags: { info: { INAM: 'Pot', ICMT: 'this' }, ixml: { 'ASWG/fxName': 'Pan', NOTE: 'that' } },
  });
  await app.put('half a mind.wav', { seed: 3, tags: { info: { INAM: 'Lid' }, ixml: { 'ASWG/fxName': 'Cover' } } });
  ({ batchId } = await app.intake());
});
afterEach(() => app.close());

const rows = async (query = {}) =>
  (await app.call('listBatchRows', { params: { id: batchId }, query: { sort: 'name', ...query } })).rows;

describe('what stands in a file', () => {
  it('is told field by place, with the one that counts, and block by block', async () => {
    const row = (await rows()).find((each) => each.name === 'two minds.wav');
    const contents = await app.call('getContents', { params: { id: row?.copyId } });
    expect(contents.places.map(({ field, place, value, standing }) => [field, place, value, standing])).toEqual([
      ['fxName', 'iXML ASWG/fxName', 'Pan', 'counts'],
      ['fxName', 'INFO INAM', 'Pot', 'differs'],
      ['description', 'INFO ICMT', 'this', 'counts'],
      ['description', 'iXML NOTE', 'that', 'differs'],
    ]);
    expect(contents.blocks.map((block) => block.id)).toEqual(['RIFF', 'fmt ', 'LIST INFO', 'iXML', 'data']);
    expect(contents).toMatchObject({ container: 'WAV', sizeBytes: row?.sizeBytes, issues: [] });
    expect((await app.send('getContents', { params: { id: 999_999 } })).status).toBe(404);
  });

  it('is counted over a selection, finds the files, and is settled by writing', async () => {
    const selection = { kind: 'batch' as const, batchId };
    expect(await app.call('countDisagreements', { body: { selection } })).toEqual({
      files: 3,
      disagreeing: 2,
      fields: [
        { field: 'fxName', files: 2 },
        { field: 'description', files: 1 },
      ],
    });
    expect((await rows({ disagrees: 'description' })).map((row) => row.name)).toEqual(['two minds.wav']);
    expect((await rows()).map((row) => row.disagreeing)).toEqual([['fxName'], [], ['fxName', 'description']]);
    expect((await app.send('listBatchRows', { params: { id: batchId }, query: { disagrees: 'colour' } })).status).toBe(
      400,
    );
    await app.planAndRun('write', batchId);
    expect(await app.call('countDisagreements', { body: { selection } })).toEqual({
      files: 3,
      disagreeing: 0,
      fields: [],
    });
  });
});
