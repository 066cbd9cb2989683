import { describe, expect, it } from '@jest/globals';
import { builtInCategoryList } from '../ucs/category-list.ts';
import { CategorySuggester } from './suggest-category.ts';
import { suggestFxName } from './suggest-fx-name.ts';

const categories = builtInCategoryList();
const suggester = new CategorySuggester(categories);

describe('suggesting a category', () => {
  it.each([
    ['Lock 7/angry geese flock honking.wav', 'BIRDFowl'],
    ['KilnRoom/door_creak_slow.wav', 'DOORCreak'],
    ['HAMMER - ON IRON NAIL, FIVE BLOWS 01.wav', 'TOOLHand'],
    ['Watermill/240602_T09_wheel pit drips.wav', 'WATRDrip'],
  ])('proposes first for %s %s, with a reason', (path, catId) => {
    const [best] = suggester.suggest(path);
    expect(best?.catId).toBe(catId);
    expect(best?.because[0]).toMatch(/^“.+” in (the name|folder)/);
  });

  it('counts a word of the name more than one of a folder', () => {
    expect(suggester.suggest('rain/gravel footsteps.wav')[0]?.category).toBe('FOOTSTEPS');
  });

  it('believes a name that already begins with a CatID', () => {
    const [best] = suggester.suggest('misc/WATRSplsh_Bucket In Canal_ORV_TPA02.wav');
    expect(best).toMatchObject({ catId: 'WATRSplsh', score: 0.99, because: ['the name begins with WATRSplsh'] });
  });

  it('proposes nothing for words that nobody knows, and at most five otherwise, best first', () => {
    expect(suggester.suggest('qwzx_0001.wav')).toEqual([]);
    const scores = suggester.suggest('door.wav').map((suggestion) => suggestion.score);
    expect(scores).toHaveLength(5);
    expect(scores).toEqual([...scores].sort((a, b) => b - a));
    for (const score of scores) expect(score).toBeLessThan(1);
  });
});

describe('an FXName from a raw file name', () => {
  it.each([
    ['LOCK GATE, WOODEN - CREAKS OPEN, SLOW 01.wav', 'Lock Gate Wooden Creaks Open Slow'],
    ['240513_T01_kiln int roar.wav', 'Kiln Int Roar'],
    ['KY_PotteryClink_GlazedBowl_03.wav', 'KY Pottery Clink Glazed Bowl'],
    ['door_creak_002.wav', 'Door Creak'],
    ['Motor 5000 RPM up.wav', 'Motor 5000 RPM Up'],
    ['CERMBrk_Vase Shatters_ORV_CLAY.wav', 'Vase Shatters'],
    ['Mühlglocke läutet.wav', 'Mühlglocke Läutet'],
    ['0031.wav', ''],
  ])('makes of %s “%s”', (fileName, fxName) => {
    expect(suggestFxName(fileName, categories)).toBe(fxName);
  });
});
