import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import type { SoundRow } from '@flagstone/contract/record';
import { sql } from 'drizzle-orm';
import { fillCatalogue } from '../bench/fill-catalogue.ts';
import { connect } from '@flagstone/server/db/connect';
import { TestApplication } from './test-application.ts';

/** More than are ranked or counted one by one. */
const SOUNDS = 6000;
const NAMED = 130;
const PADDLES = 2400;
const TURNED = 5;

let app: TestApplication;
beforeAll(async () => {
  app = await TestApplication.open();
  const { db } = app.context;
  // Numbers that go on behind those that are given are set by the owner.
  const owner = await connect(app.databaseAddress, undefined, true);
  await fillCatalogue(owner.db, SOUNDS);
  await owner.close();
  // All have “benchmark” in the description; these in the name as well.
  await db.execute(sql`update records set fx_name = 'Benchmark kiln ' || sound_id where sound_id <= ${NAMED}`);
  // Many have a word in the name, with ratings of all kinds.
  await db.execute(sql`
    update records set fx_name = 'Paddle gear ' || sound_id, rating = nullif(sound_id % 6, 0) where sound_id > ${SOUNDS - PADDLES}`);
  await db.execute(sql`update records set rating = nullif(sound_id % 6, 0) where sound_id <= ${NAMED}`);
  await db.execute(
    sql`update records set fx_name = 'Paddle benchmark ' || sound_id where sound_id > ${SOUNDS - TURNED}`,
  );
  await db.execute(sql`select flagstone_refresh_search(array(select sound_id from records order by 1))`);
  await app.asOwner('analyze search_rows');
}, 120_000);
afterAll(() => app.close());

/** The rows of all pages in their order. */
async function allRows(query: Record<string, unknown>): Promise<SoundRow[]> {
  const rows: SoundRow[] = [];
  let after: string | undefined;
  do {
    const page = await app.call('listCatalogue', { query: { limit: 500, ...query, ...(after ? { after } : {}) } });
    rows.push(...page.rows);
    after = page.next ?? undefined;
  } while (after !== undefined);
  return rows;
}

const allPages = async (query: Record<string, unknown>): Promise<string[]> =>
  (await allRows(query)).map(({ record }) => record.fxName);

describe('a search that finds very many', () => {
  it('puts those with the word in the name first, and gives each sound once', async () => {
    const names = await allPages({ q: 'benchmark ', sort: 'relevance' });
    expect(names).toHaveLength(SOUNDS);
    expect(new Set(names).size).toBe(SOUNDS);
    expect(names.slice(0, NAMED + TURNED).every((name) => /benchmark/i.test(name))).toBe(true);
  });

  it('puts what has the word itself before what has only the word beside it', async () => {
    const names = await allPages({ q: 'kiln ', also: 'kiln~benchmark', sort: 'relevance' });
    expect(names).toHaveLength(SOUNDS);
    expect(new Set(names).size).toBe(SOUNDS);
    expect(names.slice(0, NAMED).every((name) => name.includes('kiln'))).toBe(true);
  });

  it.each([
    ['few have in their names', 'benchmark ', NAMED + TURNED],
    ['many have in their names', 'paddle ', PADDLES],
  ])('puts the best rated first, of words that %s, over all pages', async (_, q, named) => {
    const { rows } = await app.context.db.execute<{ id: number }>(sql`
      select sound_id as id from search_rows where search @@ plainto_tsquery('english', ${q})
      order by flagstone_names(search) @@ plainto_tsquery('english', ${q}) desc, merit desc, sound_id desc`);
    const found = await allRows({ q, sort: 'relevance', limit: 150 });
    expect(found.map(({ soundId }) => soundId)).toEqual(rows.map(({ id }) => id));
    const ratings = found.slice(0, named).map(({ record }) => record.rating ?? 0);
    expect(new Set(ratings).size).toBeGreaterThan(3);
    expect(ratings).toEqual([...ratings].sort((a, b) => b - a));
  });

  it('does not go through merits that no sound has for a cursor that somebody made up', async () => {
    const after = Buffer.from(JSON.stringify([0, 32_767, 1])).toString('base64url');
    const page = await app.call('listCatalogue', { query: { q: 'paddle ', sort: 'relevance', after, limit: 3 } });
    expect(page.rows.map(({ soundId }) => soundId)).toEqual(
      (await allRows({ q: 'paddle ', sort: 'relevance' })).slice(0, 3).map(({ soundId }) => soundId),
    );
  });

  it.each([
    ['added', 'asc', SOUNDS - PADDLES + 1],
    ['added', 'desc', SOUNDS],
    ['relevance', 'asc', undefined],
    ['shuffle', 'asc', undefined],
  ] as const)('goes on from row to row by %s, %s, however far the first one stands', async (sort, direction, first) => {
    const query = { q: 'paddle ', sort, direction };
    const all = (await allRows(query)).map(({ soundId }) => soundId);
    expect(all).toHaveLength(PADDLES);
    if (first !== undefined) expect(all[0]).toBe(first);
    const seen: number[] = [];
    let after: string | undefined;
    for (let step = 0; step < 4; step += 1) {
      const page = await app.call('listCatalogue', { query: { ...query, limit: 1, ...(after ? { after } : {}) } });
      seen.push(...page.rows.map(({ soundId }) => soundId));
      after = page.next ?? undefined;
    }
    expect(seen).toEqual(all.slice(0, 4));
  });

  it('says of words that no sound has both of that there are none, where very many were to be expected', async () => {
    for (const sort of ['relevance', 'name', 'length'])
      expect(await app.call('listCatalogue', { query: { q: 'paddle -paddle ', sort } })).toMatchObject({
        rows: [],
        total: 0,
        isApproximate: false,
      });
  });

  it('narrows nothing by words that say nothing, and repeats nothing', async () => {
    const names = await allPages({ q: 'the ', sort: 'relevance' });
    expect(new Set(names).size).toBe(SOUNDS);
    expect(names).toHaveLength(SOUNDS);
  });

  it('has a tree of folders whose counts are in proportion, and in which no folder is missing', async () => {
    const [drive] = (await app.call('listFolderLevel', { query: { q: 'benchmark ' } })).folders;
    const { folders, isApproximate } = await app.call('listFolderLevel', {
      query: { q: 'benchmark ', below: drive?.path },
    });
    expect(isApproximate).toBe(true);
    const { rows } = await app.context.db.execute<{ name: string }>(
      sql`select distinct split_part(folder, '/', 1) as name from copies where folder <> '' order by 1`,
    );
    expect(folders.map(({ name }) => name)).toEqual(rows.map(({ name }) => name));
    const counted = folders.reduce((sum, { count }) => sum + (count ?? 0), 0);
    expect(Math.abs(counted / SOUNDS - 1)).toBeLessThan(0.15);
  });

  it('leaves counting many to the index where that is asked, and counts few on the way', async () => {
    const many = await app.call('listCatalogue', { query: { q: 'benchmark ', sort: 'relevance', count: 'free' } });
    expect(many.total).toBeNull();
    const { total } = await app.call('countIndex', { query: { q: 'benchmark ' } });
    expect(total.isApproximate).toBe(true);
    expect(Math.abs(total.count / SOUNDS - 1)).toBeLessThan(0.15);
    for (const sort of ['relevance', 'name', 'length']) {
      const few = await app.call('listCatalogue', { query: { q: 'kiln ', sort, count: 'free', limit: 20 } });
      expect(few).toMatchObject({ total: NAMED, isApproximate: false });
    }
    expect((await app.call('countIndex', { query: { q: 'kiln ' } })).total).toEqual({
      count: NAMED,
      isApproximate: false,
    });
    expect((await app.call('countIndex')).total).toEqual({ count: SOUNDS, isApproximate: false });
    expect((await app.call('listCatalogue', { query: { q: 'nowhere ', count: 'free' } })).total).toBe(0);
  });

  it('says how many there are when the first page has all of them, though many were expected', async () => {
    // PostgreSQL expects a phrase wherever both words are.
    const phrase = { q: '"paddle benchmark" ', sort: 'relevance' };
    expect((await app.call('countIndex', { query: phrase })).total.isApproximate).toBe(true);
    for (const count of ['free', 'always'])
      expect(await app.call('listCatalogue', { query: { ...phrase, count } })).toMatchObject({
        total: TURNED,
        isApproximate: false,
      });
  });

  it('is counted in proportion, and says so; all of the catalogue is counted one by one', async () => {
    const { total, isApproximate } = await app.call('listCatalogue', { query: { q: 'benchmark ', limit: 1 } });
    expect(isApproximate).toBe(true);
    expect(Math.abs((total ?? 0) / SOUNDS - 1)).toBeLessThan(0.15);
    expect(await app.call('listCatalogue', { query: { limit: 1 } })).toMatchObject({
      total: SOUNDS,
      isApproximate: false,
    });
    const {
      facets: { facets, isApproximate: about },
    } = await app.call('countIndex', { query: { q: 'benchmark ' } });
    const channels = facets.find(({ facet }) => facet === 'channels')?.values ?? [];
    expect([about, channels.length]).toEqual([true, 2]);
    for (const { count } of channels) expect(Math.abs(count / (SOUNDS / 2) - 1)).toBeLessThan(0.2);
  });
});
