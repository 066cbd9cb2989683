import { describe, expect, it } from '@jest/globals';
import { CategoryList, type Category } from './category-list.ts';
import { formerCatIds, successorOf } from './former-categories.ts';

const category = (catId: string, names: string, words = ''): Category => {
  const [category = '', subCategory = ''] = names.split('/');
  return { category, subCategory, catId, catShort: catId.slice(0, 4), meaning: '', words: words.split(' ') };
};
const oldest = new CategoryList('1', [category('KILNOld', 'KILNS/ROAR', 'kiln'), category('WEIRFall', 'WEIRS/FALL')]);
const before = new CategoryList('2', [
  category('KILNBurn', 'KILNS/BURNER', 'kiln gas burner roar'),
  category('LOOMHand', 'LOOMS/HAND', 'loom weave'),
]);
const list = new CategoryList('3', [
  category('KILNGas', 'KILNS/GAS', 'kiln gas burner'),
  category('LOMHand', 'LOOMS/HAND', 'loom weave'),
  category('KILNRoar', 'KILNS/ROAR'),
  category('GOOSHonk', 'GEESE/HONK'),
  category('GOOSHiss', 'GEESE/HISS'),
]);

describe('what stands for a CatID that the list does not have', () => {
  it.each([
    ['LOOMHand', 'LOMHand', 'renamed'],
    ['loomhand', 'LOMHand', 'renamed'],
    ['KILNOld', 'KILNRoar', 'renamed'],
    ['KILNBurn', 'KILNGas', 'likely'],
    // On no list, but nearly spelt so.
    ['GOOSHnk', 'GOOSHonk', 'spelt'],
  ])('%s: %s (%s)', (catId, to, how) => {
    expect(successorOf(catId, [before, oldest], list)).toMatchObject({ to: { catId: to }, how });
  });

  it.each(['WEIRFall', 'XYZ', '', 'GOOSH'])('“%s”: nothing is like it, or several are', (catId) => {
    expect(successorOf(catId, [before, oldest], list)).toBeUndefined();
  });

  it('knows the CatIDs of before', () => {
    expect(formerCatIds([before, oldest, list], list).sort()).toEqual(['kilnburn', 'kilnold', 'loomhand', 'weirfall']);
  });
});
