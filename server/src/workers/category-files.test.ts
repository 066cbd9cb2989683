import { describe, expect, it } from '@jest/globals';
import { delimiterOf, parseCategories } from './category-files.ts';

const HEAD = ['Category', 'SubCategory', 'CatID', 'CatShort', 'Explanations', 'Synonyms'];
const ROWS = [
  ['WATER', 'MILL RACE', 'WATRRace', 'WATR', 'Water led to a wheel; “fast”, in wood.', 'leat, sluice'],
  ['MACHINES', 'LOOM', 'MACHLoom', 'MACH', 'Hand looms,\nand power looms.', 'loom, "jenny"'],
];
const written = (sign: string, newline = '\n'): string =>
  [HEAD, ...ROWS].map((row) => row.map((cell) => `"${cell.replaceAll('"', '""')}"`).join(sign)).join(newline);
const read = (name: string, text: string) => parseCategories(name, new TextEncoder().encode(text));

describe('a category list as separated text', () => {
  it.each([
    ['a.csv', ',', '\n'],
    ['a.csv', ';', '\r\n'],
    ['a.tsv', '\t', '\n'],
    ['a.txt', '|', '\n'],
  ])('%s is read with %j between its cells', async (name, sign, newline) => {
    const categories = await read(name, `\ufeff${written(sign, newline)}`);
    expect(categories.map(({ catId, words }) => [catId, words])).toEqual([
      ['WATRRace', ['leat', 'sluice']],
      ['MACHLoom', ['loom', expect.stringContaining('jenny')]],
    ]);
    expect(categories[0]?.meaning).toBe(ROWS[0]?.[4]);
  });

  it('is read with rows that end early and quotes within a cell', async () => {
    const text = `${HEAD.join('\t')}\nWATER\tMILL RACE\tWATRRace\tWATR\t6" pipe into a wheel\nMACHINES\tLOOM\tMACHLoom\tMACH`;
    expect((await read('a.tsv', text)).map(({ meaning }) => meaning)).toEqual(['6" pipe into a wheel', '']);
  });

  it('says what is wrong with one that never ends a quote', async () => {
    await expect(read('a.csv', `${HEAD.join(',')}\n"WATER,MILL`)).rejects.toMatchObject({ code: 'LIST_INVALID' });
  });
});

describe('what stands between cells', () => {
  it.each([
    ['Category,SubCategory;x,CatID', ','],
    ['The list, release 9, of a house\nCategory\tCat ID\n', '\t'],
    ['"a,b,c,d,e";x;y', ';'],
    ['one column', ','],
    ['', ','],
  ])('of %j is %j', (text, sign) => {
    expect(delimiterOf(text)).toBe(sign);
  });
});
