import { describe, expect, it } from '@jest/globals';
import { builtInCategoryList } from '../ucs/category-list.ts';
import { wordsToLearn } from './learned.ts';
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

  it.each([
    ['umlauts and compounds', 'Scheunentür_knarrt_03.wav', 'DOORS/', 'German for door'],
    ['a French verb', 'Porte bois/porte_grince_lente.wav', 'DOORS/CREAK', 'French for creak'],
    ['a Spanish dog', 'perro_ladra_calle_noche.wav', 'ANIMALS/DOG', 'Spanish for dog'],
    ['what would be another word in English', 'uomo_tosse_secca.wav', 'HUMAN/COUGH', 'Italian for cough'],
    ['writing without spaces', '雨/窓ガラス_雨_金属.wav', 'RAIN/METAL', 'Japanese for rain'],
    ['letters drawn out', 'jacket_leather_creeeeak.wav', 'LEATHER/CREAK', '(creak)'],
    ['sounds as they are heard', 'Bath/plip_plop_03.wav', 'WATER/DRIP', '(drip)'],
    ['a slip of spelling', 'seaguls_squabble.wav', 'BIRDS/SEA', 'seagull?'],
    ['shorthand of the trade', 'FSTEP_gravel_05.wav', 'FOOTSTEPS/HUMAN', 'short for footstep'],
    ['a calibre', 'shot_12ga_close.wav', 'GUNS/SHOTGUN', 'shotgun'],
  ])('understands %s and says so: %s', (_what, path, names, because) => {
    const [best] = suggester.suggest(path);
    expect(`${best?.category}/${best?.subCategory}`.startsWith(names)).toBe(true);
    expect(best?.because.join('; ')).toContain(because);
  });

  it.each([
    ['Kitchen/egg_crack_bowl_whisk.wav', 'FOOD & DRINK'],
    ['Crossbow_Fire_Bolt_Thunk.wav', 'WEAPONS'],
    ['tram_bell_city_street_pass.wav', 'TRAINS'],
    ['saw_plywood_hand_long_strokes.wav', 'TOOLS'],
    ['horse_eating_hay_stable.wav', 'ANIMALS'],
    ['Drawer_Wood_Open_Close_Squeaky.wav', 'DRAWERS'],
    ['thunder_rumble_far_valley.wav', 'WEATHER'],
    ['bees_swarm_hive_close.wav', 'ANIMALS'],
    ['Airport_Terminal_PA_Announcements_Busy.wav', 'AMBIENCE'],
    ['keys tossed on glass table x3.wav', 'OBJECTS'],
    ['lawn mower start run stop.wav', 'MACHINES'],
    ['Footsteps/Concrete/Heels/take 03.wav', 'FOOTSTEPS'],
    ['Thunder/track 07.aif', 'WEATHER'],
  ])('finds the category of %s', (path, category) => {
    expect(suggester.suggest(path)[0]?.category).toBe(category);
  });

  it('learns from decisions: more with each, told as a reason, for a word and for a folder', () => {
    const path = 'Xq 4/qwzxing blorpt_03.wav';
    const words = wordsToLearn('Xq 4', 'qwzxing blorpt_03.wav');
    expect(words).toEqual(['qwzx', 'blorpt', '/Xq 4']);
    const after = (times: number) =>
      suggester.suggest(path, new Map([['qwzx', new Map([['CERMBrk', times]])]]), words)[0];
    expect(after(1)?.catId).not.toBe('WATRDrip');
    expect(after(3)).toMatchObject({ catId: 'CERMBrk', because: ['3 of 3 decisions on “qwzx…”'] });
    expect(after(30)?.score).toBeGreaterThan(after(1)?.score ?? 1);
    const folder = new Map([
      [
        '/Xq 4',
        new Map([
          ['LOOMxx', 0],
          ['DOORCreak', 3],
          ['DOORWood', 1],
        ]),
      ],
    ]);
    const [best, second] = suggester.suggest(path, folder, words);
    expect([best?.catId, second?.catId]).toEqual(['DOORCreak', 'DOORWood']);
    expect(best?.because).toEqual(['3 of 4 decisions in this folder']);
  });

  it('asks the thesaurus only for what the vocabulary does not know, and says so', () => {
    const asked: string[] = [];
    const wise = new CategorySuggester(categories, (word) => {
      asked.push(word);
      return word === 'capercaillie' ? ['tetraonid', 'grouse', 'bird'] : [];
    });
    const [best] = wise.suggest('capercaillie_T03.wav');
    expect(asked).toEqual(['capercaillie']);
    expect(best?.because.join('; ')).toContain('“capercaillie” (a kind of ');
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
    ['LOCK GATE, WOODEN - CREAKS OPEN, SLOW 01.wav', 'Lock Gate Wooden Creaks Open Slow 01'],
    ['240513_T01_kiln int roar.wav', 'Kiln Int Roar'],
    ['KY_PotteryClink_GlazedBowl_03.wav', 'KY Pottery Clink Glazed Bowl 03'],
    ['door_creak_002.wav', 'Door Creak 002'],
    ['6d-0.wav', '6d 00'],
    ['HX7 motor take 3.wav', 'HX7 Motor 03'],
    ['HDD SPIN UP.wav', 'HDD Spin Up'],
    ['Motor 5000 RPM up.wav', 'Motor 5000 RPM Up'],
    ['CERMBrk_Vase Shatters_ORV_CLAY.wav', 'Vase Shatters'],
    ['Mühlglocke läutet.wav', 'Mühlglocke Läutet'],
    ['0031.wav', ''],
  ])('makes of %s “%s”', (fileName, fxName) => {
    expect(suggestFxName(fileName, categories)).toBe(fxName);
  });
});
