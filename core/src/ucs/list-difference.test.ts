import { describe, expect, it } from '@jest/globals';
import { builtInCategoryList, CategoryList, type Category } from './category-list.ts';
import { listDifference } from './list-difference.ts';

const one = (catId: string, category: string, subCategory: string, words: string[] = [], meaning = ''): Category => {
  return { catId, category, subCategory, catShort: catId.slice(0, 4), meaning, words };
};
const list = (...categories: Category[]) => new CategoryList('test', categories);
const kiln = one('KILNDoor', 'KILNS', 'DOOR', ['kiln', 'hatch']);
const fire = one('KILNFire', 'KILNS', 'FIRE', ['roar', 'flame']);
const goose = one('BIRDGoos', 'BIRDS', 'GOOSE', ['honk']);

describe('the difference of two category lists', () => {
  it('is nothing between a list and itself', () => {
    const same = builtInCategoryList();
    expect(listDifference(same, same)).toEqual({ added: [], renamed: [], removed: [], reworded: 0 });
  });

  it('tells what was added, removed, renamed by CatID or by names, and only reworded', () => {
    const after = list(
      { ...kiln, catId: 'KILNDr' },
      { ...goose, category: 'WATERFOWL' },
      { ...fire, meaning: 'Burning.' },
      one('LOOMShut', 'LOOMS', 'SHUTTLE'),
    );
    const { added, renamed, removed, reworded } = listDifference(list(kiln, fire, goose), after);
    expect(added.map(({ catId }) => catId)).toEqual(['LOOMShut']);
    expect(renamed.map(({ from, to }) => [from.catId, to.catId, to.category])).toEqual([
      ['KILNDoor', 'KILNDr', 'KILNS'],
      ['BIRDGoos', 'BIRDGoos', 'WATERFOWL'],
    ]);
    expect(removed).toEqual([]);
    expect(reworded).toBe(1);
  });

  it('proposes for a category that went the one that is likest, and none where nothing is', () => {
    const flames = one('FIREBurn', 'FIRE', 'BURNING', ['flame', 'roar', 'crackle']);
    const { removed } = listDifference(list(fire, goose), list(flames, kiln));
    // The same Category counts less than most of the words.
    expect(removed.map(({ from, likely }) => [from.catId, likely?.catId])).toEqual([
      ['KILNFire', 'FIREBurn'],
      ['BIRDGoos', undefined],
    ]);
  });

  it('does not take a category for renamed whose names another one has already', () => {
    const before = list(kiln, { ...one('KILNOld', 'KILNS', 'OLD DOOR') });
    const { renamed, removed } = listDifference(before, list(kiln, one('KILNAll', 'KILNS', 'GENERAL')));
    expect(renamed).toEqual([]);
    expect(removed.map(({ from }) => from.catId)).toEqual(['KILNOld']);
  });
});
