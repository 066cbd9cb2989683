import { describe, expect, it } from '@jest/globals';
import { builtInCategoryList, categoriesFromRows, rowsFromTsv } from './category-list.ts';

const list = builtInCategoryList();

describe('the built-in category list', () => {
  it('says that it is from memory', () => {
    expect(list.source).toBe('UCS 8.2, from memory');
  });

  it('has no CatID twice and begins each CatID with its CatShort but for the one irregular row', () => {
    const catIds = list.categories.map((category) => category.catId.toLowerCase());
    expect(new Set(catIds).size).toBe(catIds.length);
    const irregular = list.categories.filter((category) => !category.catId.startsWith(category.catShort));
    expect(irregular.map((category) => category.catId)).toEqual(['WHSH']);
  });

  // CatIDs on which three recalls of the published list agreed.
  it.each([
    ['AIRBlow', 'AIR', 'BLOW'],
    ['DOORWood', 'DOORS', 'WOOD'],
    ['WATRSplsh', 'WATER', 'SPLASH'],
    ['AMBForst', 'AMBIENCE', 'FOREST'],
  ])('finds %s by CatID and by names in any case', (catId, category, subCategory) => {
    expect(list.find(catId.toUpperCase())).toMatchObject({ category, subCategory });
    expect(list.findByNames(category.toLowerCase(), subCategory)?.catId).toBe(catId);
  });
});

describe('searching it by any part', () => {
  it.each([
    ['doorw', 'DOORWood'],
    ['wood door', 'DOORWood'],
    ['ratch', 'MECHRtch'],
    ['water splash', 'WATRSplsh'],
    ['goose', 'BIRDFowl'],
  ])('offers for “%s” %s among the first', (typed, catId) => {
    expect(list.search(typed, 5).map((category) => category.catId)).toContain(catId);
  });

  it('offers nothing for a word that is nowhere', () => {
    expect(list.search('xyzzy')).toEqual([]);
  });
});

describe('reading another list', () => {
  it('skips a title row and finds the columns by name in any order', () => {
    const rows = rowsFromTsv(
      'UCS v9.0\t\t\t\nCatShort\tCatID\tSubCategory\tCategory\tSynonyms\r\nDOOR\tDOORWood\tWood\tDoors\tplank, Oak\n',
    );
    expect(categoriesFromRows(rows)).toEqual([
      {
        category: 'DOORS',
        subCategory: 'WOOD',
        catId: 'DOORWood',
        catShort: 'DOOR',
        meaning: '',
        words: ['plank', 'oak'],
      },
    ]);
  });

  it.each([
    ['a missing column', 'Category\tCatID\nA\tAB', /no column “subCategory”/],
    [
      'a CatID that stands twice',
      'Category\tSubCategory\tCatID\tCatShort\nA\tB\tAB\tA\nA\tC\tab\tA',
      /“ab” in row 3 stands twice/,
    ],
    ['an illegal CatID', 'Category\tSubCategory\tCatID\tCatShort\nA\tB\tA_B\tA', /row 2 is not made of letters/],
  ])('refuses %s, saying where', (_, text, message) => {
    expect(() => categoriesFromRows(rowsFromTsv(text))).toThrow(message);
  });
});
