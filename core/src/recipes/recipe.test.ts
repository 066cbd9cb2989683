import { describe, expect, it } from '@jest/globals';
import { emptyRecord, type SoundRecord } from '../record/fields.ts';
import { builtInCategoryList } from '../ucs/category-list.ts';
import { prepareRecipe, stepInWords, type RecipeSources, type RecipeStep } from './recipe.ts';
import { Spelling } from '../words/spelling.ts';

const categories = builtInCategoryList();
const base = {
  ...emptyRecord(),
  fxName: 'KILN door_SLAM',
  description: 'Kiln  door, slams',
  keywords: ['kiln', 'Door'],
};
const sources: RecipeSources = {
  categories,
  names: {
    creator: [
      { name: 'Orla Venn', code: 'ORV', codeField: 'creatorId' },
      { name: 'Tobias Reed', code: 'TOR', codeField: 'creatorId' },
    ],
    library: [{ name: 'Clay and Water', code: 'CLAY', codeField: 'sourceId' }],
  },
  spelling: new Spelling(categories, (word) => ['slams', 'heron'].includes(word)),
};
const outcome = (
  steps: RecipeStep[],
  record: Partial<SoundRecord> = {},
  index = 0,
  fileName = '03_KILN_door slam_T07.wav',
) =>
  prepareRecipe(
    steps,
    sources,
  )({
    record: { ...base, ...record },
    fileName,
    folder: 'Pottery/Kiln room',
    inFile: { 'INFO ISFT': 'Shed Deck', description: 'In the file' },
    index,
  });
const run = (...args: Parameters<typeof outcome>) => outcome(...args).set;
const replace = (find: string, by: string, more: object = {}): RecipeStep => {
  return {
    do: 'replace',
    fields: ['fxName', 'description', 'keywords'],
    find,
    by,
    how: 'plain',
    matchCase: false,
    ...more,
  };
};

describe('the steps of a recipe', () => {
  it.each<[string, RecipeStep[], Partial<SoundRecord>]>([
    [
      'replaces in all chosen fields',
      [replace('kiln', 'Oven')],
      { fxName: 'Oven door_SLAM', description: 'Oven  door, slams', keywords: ['Oven', 'Door'] },
    ],
    [
      'takes the case into account',
      [replace('Kiln', 'Oven', { matchCase: true })],
      { description: 'Oven  door, slams' },
    ],
    ['finds whole words only', [replace('slam', 'shut', { how: 'word' })], { fxName: 'KILN door_shut' }],
    [
      'removes, leaving no two spaces',
      [replace('door', '')],
      { fxName: 'KILN _SLAM', description: 'Kiln , slams', keywords: ['kiln'] },
    ],
    ['takes signs as they are', [replace('$&', 'x'), replace('_', '$&')], { fxName: 'KILN door$&SLAM' }],
    [
      'follows a pattern with groups',
      [replace('(\\w+) door', 'door of $1', { how: 'pattern', fields: ['fxName'] })],
      { fxName: 'door of KILN_SLAM' },
    ],
    [
      'changes the case, keeping acronyms',
      [{ do: 'case', fields: ['description'], to: 'title', keptWhole: ['kx9'] }],
      { description: 'Kiln  Door, Slams' },
    ],
    [
      'takes needless spaces out',
      [{ do: 'tidy', fields: ['description'], how: 'trim' }],
      { description: 'Kiln door, slams' },
    ],
    [
      'makes commas of underscores',
      [{ do: 'tidy', fields: ['fxName'], how: 'separators' }],
      { fxName: 'KILN door, SLAM' },
    ],
    [
      'copies where nothing is',
      [
        { do: 'put', to: 'notes', from: 'fxName', level: 1, how: 'ifEmpty', between: '' },
        { do: 'put', to: 'description', from: 'fxName', level: 1, how: 'ifEmpty', between: '' },
      ],
      { notes: 'KILN door_SLAM' },
    ],
    [
      'appends a field to another',
      [{ do: 'put', to: 'fxName', from: 'keywords', level: 1, how: 'append', between: ' - ' }],
      { fxName: 'KILN door_SLAM - kiln, Door' },
    ],
    [
      'takes a part of the path',
      [{ do: 'put', to: 'library', from: 'folder', level: 2, how: 'replace', between: '' }],
      { library: 'Pottery' },
    ],
    [
      'takes a part of the path that is not there for nothing',
      [{ do: 'put', to: 'library', from: 'folder', level: 9, how: 'replace', between: '' }],
      {},
    ],
    [
      'takes what the file says at a place',
      [
        { do: 'put', to: 'microphone', from: 'inFile', place: 'INFO ISFT', level: 1, how: 'replace', between: '' },
        { do: 'put', to: 'notes', from: 'inFile', place: 'constructor', level: 1, how: 'replace', between: '' },
      ],
      { microphone: 'Shed Deck' },
    ],
    [
      'makes a clean name',
      [{ do: 'put', to: 'fxName', from: 'fileName', level: 1, how: 'replace', between: '' }],
      { fxName: 'KILN Door Slam 07' },
    ],
    [
      'sets a value before another',
      [{ do: 'set', to: 'fxName', value: 'Clay', how: 'prepend', between: ' ' }],
      { fxName: 'Clay KILN door_SLAM' },
    ],
    ['makes keywords of the name', [{ do: 'nameToKeywords' }], { keywords: ['kiln', 'Door', 'slam'] }],
    ['renames a keyword into one that is there', [{ do: 'keyword', find: 'KILN', by: 'door' }], { keywords: ['door'] }],
    ['removes a keyword', [{ do: 'keyword', find: 'door', by: '' }], { keywords: ['kiln'] }],
    ['changes nothing when nothing fits', [replace('goose', 'swan')], {}],
  ])('%s', (_what, steps, changed) => {
    expect(run(steps)).toEqual(changed);
  });

  it.each<[RecipeStep & { do: 'tidy' }, string, string]>([
    [{ do: 'tidy', fields: ['fxName'], how: 'stripNumbers' }, '03 - 12_kiln roar T07', 'kiln roar'],
    [{ do: 'tidy', fields: ['fxName'], how: 'stripNumbers' }, 'Motor 5000 RPM', 'Motor 5000 RPM'],
    [{ do: 'tidy', fields: ['fxName'], how: 'legal' }, 'a/b: "c"?', 'a b c'],
    [{ do: 'tidy', fields: ['fxName'], how: 'transliterate' }, 'Mühle, garçon, Łódź, 窯', 'Muehle, garcon, Lodz, 窯'],
    [{ do: 'tidy', fields: ['fxName'], how: 'expand' }, 'AMB kiln int CU', 'Ambience kiln interior Close Up'],
  ])('tidies %o', (step, before, after) => {
    expect(run([step], { fxName: before })).toEqual(before === after ? {} : { fxName: after });
  });

  it('run one after another, and number the rows', () => {
    const steps: RecipeStep[] = [
      replace('_', ' ', { fields: ['fxName'] }),
      { do: 'case', fields: ['fxName'], to: 'lower', keptWhole: [] },
      { do: 'number', to: 'fxName', start: 5, digits: 3, between: ' ' },
    ];
    expect(run(steps, {}, 7)).toEqual({ fxName: 'kiln door slam 012' });
    expect(steps.map(stepInWords)).toEqual([
      '“_” becomes “ ” in FXName',
      'small letters in FXName',
      'FXName numbered from 5',
    ]);
  });

  it.each<[RecipeStep[], string]>([
    [[replace('', 'x')], 'Step 1: say what to find'],
    [[replace('a', 'b'), replace('(', '', { how: 'pattern' })], 'Step 2: Invalid regular expression'],
    [[{ do: 'case', fields: [], to: 'title', keptWhole: [] }], 'Step 1: choose at least one field'],
    [[{ do: 'set', to: 'tempo', value: '3', how: 'replace', between: '' }], 'Step 1: Tempo (BPM) is no text'],
    [[{ do: 'keyword', find: ' ', by: '' }], 'Step 1: say which keyword'],
  ])('name what is wrong with %o', (steps, message) => {
    expect(() => prepareRecipe(steps, sources)).toThrow(message);
  });

  it('read a name’s blocks back, telling what they put right', () => {
    const step: RecipeStep = { do: 'readName', how: 'replace' };
    const name = 'cermbrk _ Pot Falls_CLAY.wav';
    const { set, notes } = outcome([step], {}, 0, name);
    expect(set).toEqual({ catId: 'CERMBrk', fxName: 'Pot Falls', sourceId: 'CLAY' });
    expect(notes).toHaveLength(3);
    expect(run([{ ...step, how: 'ifEmpty' }], { creatorId: 'TOR' }, 0, name)).toEqual({
      catId: 'CERMBrk',
      sourceId: 'CLAY',
    });
    expect(outcome([step])).toEqual({ set: {}, notes: [] });
  });

  it.each<[Partial<SoundRecord>, Partial<SoundRecord>, number]>([
    [{ creator: 'orla venn' }, { creator: 'Orla Venn', creatorId: 'ORV' }, 0],
    [{ creator: 'Orla Ven', creatorId: 'OV' }, { creator: 'Orla Venn' }, 0],
    [{ creatorId: 'tor' }, { creator: 'Tobias Reed' }, 0],
    [{ creator: 'ORV' }, { creator: 'Orla Venn', creatorId: 'ORV' }, 0],
    [{ creator: 'Ida Marsh' }, {}, 1],
    [{}, {}, 0],
  ])('look %o up in the list of creators', (record, set, notes) => {
    const result = outcome([{ do: 'lookUp', field: 'creator' }], record);
    expect(result.set).toEqual(set);
    expect(result.notes).toHaveLength(notes);
  });

  it('give hints on spelling and change nothing', () => {
    const result = outcome([{ do: 'spell', fields: ['description', 'keywords'] }], {
      description: 'Watterfall slams, heron, MKIII, Orla',
      keywords: ['thunnder'],
    });
    expect(result).toEqual({
      set: {},
      notes: ['Description: “watterfall” may be “waterfall”.', 'Keywords: “thunnder” may be “thunder”.'],
    });
  });
});
