import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { TestApplication } from './test-application.ts';

/** Made-up sounds: file, library, keywords. */
const SOUNDS: [string, string, string][] = [
  ['mill/door a.wav', 'Canal Vol 2', 'latch, iron'],
  ['mill/door b.wav', 'Canal Vol 2', 'latch, oak'],
  ['mill/wheel.wav', 'Old canal reels', 'water'],
  ['weir/geese.wav', 'Kiln', 'latchkey'],
];
let app: TestApplication;
let drive = '';

beforeAll(async () => {
  app = await TestApplication.open();
  for (const [index, [file, library, keywords]] of SOUNDS.entries())
    await app.put(file, {
      seed: index + 1,
      tags: { info: { INAM: file.replace(/.*\/|\.wav/g, ''), IPRD: library, IKEY: keywords } },
    });
  const { batchId } = await app.intake();
  await app.call('fileBatch', { params: { id: batchId } });
  drive = (await app.call('listDrives'))[0]?.name ?? '';
  const [row] = (await app.call('listCatalogue')).rows;
  await app.call('markSounds', {
    body: { selection: { kind: 'copies', copyIds: [row?.copyId] }, favourite: true, addTags: ['reel 3'] },
  });
});
afterAll(() => app.close());

const offered = async (q: string) =>
  (await app.call('completeQuery', { query: { q, person: '1' } })).map(({ term, count }) => `${term} ${count}`);

describe('the completion of a field', () => {
  it.each([
    ['library:', ['library:="Canal Vol 2" 2', 'library:=Kiln 1', 'library:="Old canal reels" 1']],
    // What begins so stands before what has it within.
    ['library:can', ['library:="Canal Vol 2" 2', 'library:="Old canal reels" 1']],
    ['library:="canal v', ['library:="Canal Vol 2" 2']],
    ['geese library:', ['library:=Kiln 1']],
    ['keywords:lat', ['keywords:latch 2', 'keywords:latchkey 1']],
    ['door keywords:', ['keywords:latch 2', 'keywords:iron 1', 'keywords:oak 1']],
    ['channels:', ['channels:1 4']],
    ['container:', ['container:=WAV 4']],
    ['is:fav', ['is:favourite 1']],
    ['tag:re', ['tag:"reel 3" 1']],
    ['-library:ki', ['library:=Kiln 1']],
    ['library:nothing', []],
    ['library:%', []],
    ["library:'; drop table sounds; --", []],
    ['notes:', []],
    ['geese', []],
    ['', []],
  ])('%s', async (line, expected) => expect(await offered(line)).toEqual(expected));

  it('goes down the folders', async () => {
    expect(await offered('in:')).toEqual([`in:"${drive}" 4`]);
    expect(await offered(`in:"${drive.toUpperCase()}/m`)).toEqual([`in:"${drive}/mill" 3`]);
    expect(await offered(`door in:"${drive}/`)).toEqual([`in:"${drive}/mill" 2`]);
    expect(await offered('in:"no drive/x')).toEqual([]);
  });

  it('gives lines that find as many as they say', async () => {
    const completions = await app.call('completeQuery', { query: { q: 'door keywords:' } });
    for (const { line, count } of completions)
      expect((await app.call('listCatalogue', { query: { q: line } })).total).toBe(count);
    expect(completions[0]?.line).toBe('door keywords:latch ');
  });
});
