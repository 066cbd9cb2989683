import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { demoCollection } from '@flagstone/demo/collection';
import { TestApplication } from './test-application.ts';

/**
 * A hand-made set of questions to the demo collection (its paths and what stands in its files, on short tones): what has to be on the first page, what comes
 * first, and what must not be there.
 */
const QUESTIONS: { q: string; first: RegExp; has?: RegExp[]; not?: RegExp }[] = [
  { q: 'lock gate', first: /lock gate/i, has: [/Beam Creak/i], not: /goose|whoosh/i },
  { q: 'gate lock', first: /lock gate/i },
  { q: 'rain', first: /rain/i, has: [/Rain On Still Canal/], not: /train|drain/i },
  { q: 'geese', first: /geese|goose/i, has: [/Gaggle/, /flyover/i], not: /door/i },
  { q: 'goose honk', first: /goose honk/i, has: [/Angry Close/, /Single Distant/] },
  { q: 'narrowboat horn', first: /narrowboat.*horn/i, not: /diesel idle/i },
  { q: 'narrowboat -horn', first: /narrowboat/i, not: /horn/i },
  { q: '"kiln door"', first: /kiln door/i },
  { q: 'wind', first: /wind in reeds/i, not: /window/i },
  { q: 'creak wood|rope', first: /creak/i, has: [/Mooring Rope/] },
  { q: 'chain drag', first: /chain drag/i },
  { q: 'ratchets', first: /ratchet/i },
  { q: 'mill race', first: /mill race/i, has: [/Under Wheel/] },
];
const PAGE = 25;

let app: TestApplication;
beforeAll(async () => {
  app = await TestApplication.open();
  for (const [index, sound] of demoCollection().entries())
    if (sound.path.endsWith('.wav')) await app.put(sound.path, { seed: index + 1, tags: sound.tags });
  const { batchId } = await app.intake();
  await app.call('fileBatch', { params: { id: batchId } });
}, 120_000);
afterAll(() => app.close());

/** What a row shows of a sound: where it lies and what it is called. */
async function firstPage(q: string, query: Record<string, unknown> = {}): Promise<string[]> {
  const page = await app.call('listCatalogue', { query: { q: `${q} `, sort: 'relevance', limit: PAGE, ...query } });
  return page.rows.map(({ folder, name, record }) => `${record.fxName} ${record.keywords.join(' ')} ${folder}/${name}`);
}

describe('the relevance of what is found in the demo', () => {
  it.each(QUESTIONS)('$q', async ({ q, first, has = [], not }) => {
    const page = await firstPage(q);
    expect(page[0]).toMatch(first);
    for (const wanted of has) expect(page.join('\n')).toMatch(wanted);
    if (not) expect(page.map((row) => row.split('/').at(-1) ?? '').join('\n')).not.toMatch(not);
  });

  it.each([
    ['narowboat', 'narrowboat '],
    ['sluce gate', 'sluice gate '],
    ['ratchett', 'ratchet '],
    ['moooring rope', 'mooring rope '],
  ])('“%s” is put right', async (typed, corrected) =>
    expect((await app.call('readQuery', { query: { q: `${typed} ` } })).corrected).toBe(corrected),
  );

  it.each([
    ['barge', 'narrowboat'],
    ['gander', 'geese'],
    ['downpour', 'rain'],
    ['klang', 'clang'],
  ])('“%s” leads to “%s”', async (typed, wanted) => {
    const { words } = await app.call('readQuery', { query: { q: `${typed} ` } });
    expect(words[0]?.related.map(({ word }) => word)).toContain(wanted);
    expect((await firstPage(typed, { also: `${typed}~${wanted}` })).length).toBeGreaterThan(0);
  });
});

it('answers while a folder is being read, and knows what came when that is through', async () => {
  const before = (await firstPage('windlass')).length;
  for (let index = 0; index < 60; index += 1)
    await app.put(`late/windlass ${index}.wav`, { seed: 5000 + index, tags: { info: { INAM: `Windlass ${index}` } } });
  const { batch, job } = await app.call('startIntake', { body: { path: app.drive } });
  let reading = true;
  const ended = app.ended(job).finally(() => (reading = false));
  let answers = 0;
  while (reading) {
    expect((await firstPage('windlass')).length).toBe(before);
    answers += 1;
  }
  await ended;
  expect(answers).toBeGreaterThan(0);
  await app.call('fileBatch', { params: { id: batch.id } });
  const { total } = await app.call('listCatalogue', { query: { q: 'windlass ', sort: 'relevance' } });
  expect(total).toBe(before + 60);
}, 60_000);
