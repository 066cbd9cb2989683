import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import type { Statistics } from '@flagstone/contract/statistics';
import { TestApplication, toneBytes } from './test-application.ts';

let app: TestApplication;
let before: Statistics;
beforeAll(async () => {
  app = await TestApplication.open();
  for (const [name, seed] of [
    ['WATRFlow_Mill Race_ORV_CLAY.wav', 1],
    ['WATRFlow_Mill Race Far_ORV_CLAY.wav', 2],
    ['rusty latch.wav', 3],
  ] as const)
    await app.put(`shelf/${name}`, { bytes: toneBytes(seed) });
  const { batchId } = await app.intake('shelf');
  await app.measured();
  before = await app.call('getStatistics');
  await app.call('fileBatch', { params: { id: batchId } });
  // Numbers are kept for ten times as long as they took to count.
  await app.restart();
});
afterAll(() => app.close());

const names = async (query: Record<string, string>): Promise<string[]> =>
  (await app.call('listCatalogue', { query })).rows.map((row) => row.name);

describe('the catalogue in numbers', () => {
  it('is empty before anything is filed', () => {
    expect(before).toMatchObject({ filed: 0, measured: 0, categories: [], growth: [] });
    expect(before.lengths.every((band) => band.count === 0)).toBe(true);
  });

  it('counts categories, fields, lengths, loudness and growth of what is filed', async () => {
    const numbers = await app.call('getStatistics');
    expect(numbers).toMatchObject({ filed: 3, measured: 3 });
    expect(numbers.categories).toEqual([
      { category: 'WATER', count: 2 },
      { category: '', count: 1 },
    ]);
    expect(numbers.completeness.find(({ field }) => field === 'catId')?.filled).toBe(2);
    expect(numbers.completeness.find(({ field }) => field === 'keywords')?.filled).toBe(0);
    expect(numbers.lengths[0]).toEqual({ label: '< 1 s', range: '..1', count: 3 });
    expect(numbers.loudness.reduce((sum, band) => sum + band.count, 0)).toBe(3);
    expect(numbers.growth).toHaveLength(1);
    expect(numbers.growth[0]?.total).toBe(3);
    // The files whose names say more than they carry are behind their records.
    expect(numbers.notInStep.behind).toBe(2);
  });

  it('leads to lists that hold as many', async () => {
    expect(await names({ missing: 'catId' })).toEqual(['rusty latch.wav']);
    expect(await names({ missing: 'keywords' })).toHaveLength(3);
    expect(await names({ missing: 'rating' })).toHaveLength(3);
    expect(await names({ state: 'notInStep' })).toHaveLength(2);
    expect(await names({ length: '..1', loudness: '-90..0' })).toHaveLength(3);
    expect(await names({ since: '2000-01-01T00:00:00Z' })).toHaveLength(3);
    expect(await names({ since: new Date(Date.now() + 60_000).toISOString() })).toEqual([]);
    expect(await app.call('countAdded', { query: { since: '2000-01-01T00:00:00Z' } })).toEqual({
      filed: 3,
      inPreparation: 0,
    });
    const {
      categories: { categories: counts },
    } = await app.call('countIndex', { query: { missing: 'catId' } });
    expect(counts.reduce((sum, entry) => sum + entry.count, 0)).toBe(1);
  });

  it('gives the catalogue by name in pages without losing or repeating a row', async () => {
    const seen: string[] = [];
    let after: string | undefined;
    do {
      const page = await app.call('listCatalogue', { query: { limit: 1, ...(after ? { after } : {}) } });
      expect(page.total).toBe(after === undefined ? 3 : null);
      seen.push(...page.rows.map((row) => row.name));
      after = page.next ?? undefined;
    } while (after !== undefined);
    expect(seen).toEqual(['rusty latch.wav', 'WATRFlow_Mill Race Far_ORV_CLAY.wav', 'WATRFlow_Mill Race_ORV_CLAY.wav']);
  });
});
