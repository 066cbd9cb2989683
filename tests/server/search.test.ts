import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { sines } from '@flagstone/demo/test-signals';
import { wavBytes } from '@flagstone/demo/wav-file';
import { TestApplication } from './test-application.ts';

let app: TestApplication;
let batchId = 0;

const wav = (seconds: number, dbfs: number, rate = 48_000, channels = 1): Uint8Array => {
  const tone = sines(rate, [[dbfs, seconds]], 500 + seconds * 7);
  return wavBytes(
    Array.from({ length: channels }, () => tone),
    { rate, bits: 24 },
  );
};

beforeAll(async () => {
  app = await TestApplication.open();
  await app.put('Canal/Rain on tin roof.wav', { bytes: wav(5, -12) });
  await app.put('Canal/Train passes mill.wav', { bytes: wav(8, -20, 96_000) });
  await app.put('Canal/Drain gurgle.wav', { bytes: wav(1, -40) });
  await app.put('geese/Goose honk single.wav', { bytes: wav(0.5, -6, 48_000, 2) });
  await app.put('geese/Geese far away.wav', { bytes: wav(12, -45, 48_000, 6) });
  ({ batchId } = await app.intake());
  await app.measured();
  const { rows } = await app.call('listBatchRows', { params: { id: batchId }, query: {} });
  const set = async (start: string, values: object): Promise<void> => {
    const copyId = rows.find(({ name }) => name.startsWith(start))?.copyId;
    await app.call('editRecords', {
      body: { selection: { kind: 'copies', copyIds: [copyId] }, edit: { set: values } },
    });
  };
  await set('Rain', { library: 'Mill and Race', rating: 4, keywords: ['weather', 'métal'], licence: 'CC0' });
  await set('Train', { library: 'Race', form: 'bed' });
  await app.call('fileBatch', { params: { id: batchId } });
});
afterAll(() => app.close());

const found = async (q: string): Promise<string[]> =>
  (await app.call('listCatalogue', { query: { q: `${q} `, sort: 'name' } })).rows.map(
    ({ name }) => name.split(' ')[0] ?? '',
  );

describe('the search line', () => {
  it.each<[string, string[]]>([
    ['rain', ['Rain']],
    ['"tin roof"', ['Rain']],
    ['"roof tin"', []],
    ['roof tin', ['Rain']],
    ['canal -rain', ['Drain', 'Train']],
    ['honk|gurgle', ['Drain', 'Goose']],
    ['-rain|train geese', ['Geese', 'Goose']],
    ['metal', ['Rain']],
    ['length:4..9', ['Rain', 'Train']],
    ['length:<1', ['Goose']],
    ['length:5', ['Rain']],
    ['-length:>1', ['Drain', 'Goose']],
    ['rate:96k', ['Train']],
    ['channels:6', ['Geese']],
    ['loudness:<-35', ['Drain', 'Geese']],
    ['rating:>=3', ['Rain']],
    ['-is:rated canal', ['Drain', 'Train']],
    ['library:race', ['Rain', 'Train']],
    ['library:"mill and race"', ['Rain']],
    ['keywords:metal', ['Rain']],
    ['licence:cc0', ['Rain']],
    ['form:bed', ['Train']],
    ['name:honk', ['Goose']],
    ['folder:geese', ['Geese', 'Goose']],
    ['name:geese|rating:4', ['Geese', 'Rain']],
    ['layout:stereo', []],
    ['container:wav length:>7', ['Geese', 'Train']],
    ['state:behind', ['Rain', 'Train']],
    ['added:<1d', ['Drain', 'Geese', 'Goose', 'Rain', 'Train']],
    ['added:>1d', []],
    ['added:2020', []],
    ['*** (( %', ['Drain', 'Geese', 'Goose', 'Rain', 'Train']],
    ["'; drop table records; --", []],
    ['<b>rain</b>', []],
    ['ガラス', []],
  ])('“%s” finds %j', async (q, names) => {
    expect(await found(q)).toEqual(names);
  });

  it('takes the last word for a beginning while it is typed: “ra” finds rain and race, never train', async () => {
    const { rows } = await app.call('listCatalogue', { query: { q: 'rai', sort: 'name' } });
    expect(rows.map(({ name }) => name)).toEqual(['Rain on tin roof.wav']);
  });

  it('says what cannot be read, and where', async () => {
    const answer = await app.send('listCatalogue', { query: { q: 'rain legnth:5' } });
    expect(answer.status).toBe(422);
    expect(answer.body).toMatchObject({
      code: 'QUERY_INVALID',
      message: expect.stringContaining('length'),
      details: { faults: [{ at: 5, length: 6 }] },
    });
    expect((await app.send('listCatalogue', { query: { q: 'x'.repeat(9999) } })).status).toBe(200);
  });

  it('is what each value of the index stands for: as many are found as were counted', async () => {
    const {
      facets: { facets, isApproximate },
    } = await app.call('countIndex', { query: {} });
    expect(isApproximate).toBe(false);
    expect(facets.map(({ facet }) => facet)).toEqual(
      expect.arrayContaining([
        'channels',
        'length',
        'rate',
        'loudness',
        'library',
        'licence',
        'form',
        'drive',
        'container',
      ]),
    );
    for (const { values } of facets)
      for (const { term, count } of values) expect([term, (await found(term)).length]).toEqual([term, count]);
    const lengths = facets.find(({ facet }) => facet === 'length')?.values;
    expect(lengths?.map(({ label, count }) => [label, count])).toEqual([
      ['below 1 s', 1],
      ['1 to 3 s', 1],
      ['3 to 10 s', 2],
      ['10 to 30 s', 1],
    ]);
    // What is chosen already does not hide its neighbours.
    const { facets: chosen } = await app.call('countIndex', { query: { q: 'geese channels:2 ' } });
    expect(chosen.facets.find(({ facet }) => facet === 'channels')?.values).toHaveLength(2);
    expect(chosen.facets.find(({ facet }) => facet === 'length')?.values).toHaveLength(1);
    const { facets: narrowed } = await app.call('countIndex', { query: { q: 'geese ' } });
    expect(narrowed.facets.find(({ facet }) => facet === 'channels')?.values).toEqual([
      { label: 'Stereo', term: 'channels:2', count: 1 },
      { label: '6 (5.1)', term: 'channels:6', count: 1 },
    ]);
  });

  it('a chosen category narrows the index, but not the counts of categories', async () => {
    const all = await app.call('countIndex', { query: {} });
    const [first] = all.categories.categories.filter(({ count }) => count > 0);
    const chosen = await app.call('countIndex', { query: { category: first?.category, catId: first?.catId } });
    expect(chosen.categories).toEqual(all.categories);
    const containers = chosen.facets.facets.find(({ facet }) => facet === 'container')?.values ?? [];
    expect(containers.reduce((sum, { count }) => sum + count, 0)).toBe(
      (await app.call('listCatalogue', { query: { category: first?.category, catId: first?.catId } })).total,
    );
  });

  it('narrows the counts of categories and what bulk work acts on', async () => {
    const {
      categories: { categories: counts },
    } = await app.call('countIndex', { query: { q: 'length:>4 ' } });
    expect(counts.reduce((sum, { count }) => sum + Number(count), 0)).toBe(3);
    const filter = {
      q: 'loudness:<-35 ',
      collection: '',
      category: '',
      catId: '',
      disagrees: '',
      missing: '',
      state: '',
      length: '',
      loudness: '',
      found: '',
      since: '',
    };
    const edit = { set: { notes: 'quiet' } };
    const { changed } = await app.call('editRecords', { body: { selection: { kind: 'catalogue', filter }, edit } });
    expect(changed).toBe(2);
    expect(await found('notes:quiet')).toEqual(['Drain', 'Geese']);
    await app.call('undoLast');
  });
});
