import { describe, expect, it } from '@jest/globals';
import fc from 'fast-check';
import { builtInCategoryList } from '../ucs/category-list.ts';
import { buildName, parseName, pathProblem } from './name-blocks.ts';
import { nameAfter, STANDARD_PATTERN } from './naming-pattern.ts';
import { isOneSlipFrom, readName } from './read-name.ts';

const categories = builtInCategoryList();
const codes = { creatorIds: new Set(['orv']), sourceIds: new Set(['clay']) };
const read = (name: string) => readName(name, categories, codes);
const full = { catId: 'CERMBrk', fxName: 'Pot Falls', creatorId: 'ORV', sourceId: 'CLAY' };

describe('reading a name back', () => {
  it.each<[string, object, string[]]>([
    ['CERMBrk_Pot Falls_ORV_CLAY', full, []],
    ['CERMBrk_Pot Falls_ORV_CLAY 02', full, []],
    ['cermbrk_Pot Falls_ORV_CLAY', full, ['CATID_CASE']],
    ['CERMBrk _ Pot Falls_ ORV_CLAY', full, ['SEPARATORS_REPAIRED']],
    ['CERMBrk__Pot Falls_ORV_CLAY', full, ['SEPARATORS_REPAIRED']],
    ['CERM Brk_Pot Falls_ORV_CLAY', full, ['CATID_REPAIRED']],
    ['CERAMICS-BREAK_Pot Falls_ORV_CLAY', full, ['CATID_REPAIRED']],
    ['CERMBkr_Pot Falls_ORV_CLAY', full, ['CATID_REPAIRED']],
    ['CERMBrk - Pot Falls - ORV - CLAY', full, ['SEPARATORS_REPAIRED']],
    [
      'CERMBrk-KILN_HOUSE-Pot Falls_ORV_CLAY_a_b',
      { ...full, userCategory: 'KILN', vendorCategory: 'HOUSE', userData: 'a_b' },
      [],
    ],
    ['CERMBrk_Pot Falls_ORV', { catId: 'CERMBrk', fxName: 'Pot Falls', creatorId: 'ORV' }, ['BLOCKS_TOO_FEW']],
    ['CERMBrk_Pot Falls_CLAY', { catId: 'CERMBrk', fxName: 'Pot Falls', sourceId: 'CLAY' }, ['BLOCKS_TOO_FEW']],
    ['CERMBrk_Pot Falls', { catId: 'CERMBrk', fxName: 'Pot Falls' }, ['BLOCKS_TOO_FEW']],
    ['CERMBrk Pot Falls', { catId: 'CERMBrk', fxName: 'Pot Falls' }, ['SEPARATORS_REPAIRED', 'BLOCKS_TOO_FEW']],
    ['QQXZWood_Pot Falls_ORV_CLAY', { fxName: 'Pot Falls', creatorId: 'ORV', sourceId: 'CLAY' }, ['CATID_UNKNOWN']],
  ])('%s', (name, blocks, repairs) => {
    const result = read(name);
    expect(result?.blocks).toEqual(name.includes('KILN') ? { ...blocks, userData: 'a_b' } : blocks);
    expect(result?.repairs.map(({ code }) => code)).toEqual(repairs);
    expect(result?.repairs.every(({ severity }) => severity === 'notice')).toBe(true);
  });

  it.each([
    'Rain_on_tin_roof_02',
    'pot falls 03',
    'KILN_door_slam_take_7',
    'door',
    '',
    '_',
    'Wood_door_knock',
    'doorwood knock',
    'RAIN - heavy, on tarpaulin 03',
    'WIND howling',
  ])('takes “%s” for no name of the standard', (name) => expect(read(name)).toBeUndefined());

  it('reads every name that is built, with nothing to put right, as the strict reader does', () => {
    const word = fc.stringMatching(/^[A-Za-z][A-Za-z ]{0,10}[A-Za-z]$/).map((text) => text.replace(/ +/g, ' '));
    const code = fc.stringMatching(/^[A-Z]{2,6}$/);
    fc.assert(
      fc.property(
        fc.constantFrom(...categories.categories),
        word,
        code,
        code,
        fc.option(word),
        (category, fxName, creatorId, sourceId, userCategory) => {
          const blocks = {
            catId: category.catId,
            fxName,
            creatorId,
            sourceId,
            ...(userCategory ? { userCategory } : {}),
          };
          const { name } = buildName(blocks, '', categories);
          expect(readName(name, categories)).toEqual({ blocks, repairs: [] });
          expect(parseName(name, categories)?.blocks).toEqual(blocks);
        },
      ),
      { numRuns: 200 },
    );
  });

  it('knows a word with one slip', () => {
    for (const slip of ['cermbr', 'cermbrks', 'cernbrk', 'cermbkr', 'ecrmbrk'])
      expect(isOneSlipFrom('cermbrk', slip)).toBe(true);
    for (const other of ['cermbrk', 'cermb', 'carmbrg', 'crembkr']) expect(isOneSlipFrom('cermbrk', other)).toBe(false);
  });
});

describe('a name that is too long', () => {
  const long = { ...full, fxName: 'Very '.repeat(60).trim(), userData: 'x'.repeat(40), userCategory: 'KILN' };
  const plan = (record: object, how?: 'no' | 'optional' | 'fxName') =>
    nameAfter(STANDARD_PATTERN, record, '.wav', categories, how);
  const bytes = (name: string): number => new TextEncoder().encode(name).length;

  it('is an error unless somebody says how to shorten it', () => {
    expect(plan(long).problems).toMatchObject([{ code: 'NAME_TOO_LONG', severity: 'error' }]);
  });

  it('has its FXName cut at a word, with room for a counter', () => {
    const { name, problems, blocks } = plan(long, 'fxName');
    expect(bytes(name)).toBeLessThanOrEqual(251);
    expect(bytes(name)).toBeGreaterThan(240);
    expect(blocks?.fxName).toMatch(/^(Very )+Very$/);
    expect(problems).toMatchObject([{ code: 'NAME_SHORTENED', severity: 'notice' }]);
  });

  it('counts bytes, not letters', () => {
    expect(bytes(plan({ ...full, fxName: 'Ofentür '.repeat(40) }, 'fxName').name)).toBeLessThanOrEqual(251);
  });

  it('gives up optional blocks, the last one first, and no more than it needs', () => {
    const { name, problems } = plan({ ...long, fxName: 'Very '.repeat(40).trim() }, 'optional');
    expect(name).toMatch(/^CERMBrk-KILN_Very .*_ORV_CLAY\.wav$/);
    expect(problems).toMatchObject([
      { code: 'NAME_SHORTENED', message: expect.stringContaining('UserData') as unknown },
    ]);
    expect(plan(long, 'optional').problems).toMatchObject([{ code: 'NAME_TOO_LONG' }]);
  });

  it('is cut at a word too where it is named freely', () => {
    const free = nameAfter({ kind: 'free', template: '{fxName}' }, long, '.wav', categories, 'fxName');
    expect(free.name).toMatch(/^(Very )+Very\.wav$/);
    expect(free.problems).toMatchObject([{ code: 'NAME_SHORTENED' }]);
  });

  it('leaves names that fit as they are', () => {
    expect(plan(full, 'fxName')).toMatchObject({ name: 'CERMBrk_Pot Falls_ORV_CLAY.wav', problems: [] });
  });

  it('is told apart from a path that is too long for Windows', () => {
    expect(pathProblem('f'.repeat(120), 'n'.repeat(135))).toBeUndefined();
    expect(pathProblem('f'.repeat(120), 'n'.repeat(136))?.message).toContain('260');
  });
});

it('tells a record whose Category is not that of its CatID', () => {
  const record = { ...full, category: 'DOORS', subCategory: 'WOOD' };
  expect(nameAfter(STANDARD_PATTERN, record, '.wav', categories).problems).toMatchObject([
    { code: 'CATEGORY_DIFFERS' },
  ]);
  const fitting = { ...full, category: 'Ceramics', subCategory: 'Break' };
  expect(nameAfter(STANDARD_PATTERN, fitting, '.wav', categories).problems).toEqual([]);
});
