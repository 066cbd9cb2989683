import { describe, expect, it } from '@jest/globals';
import fc from 'fast-check';
import { emptyRecord } from '../record/fields.ts';
import { builtInCategoryList } from '../ucs/category-list.ts';
import { buildName } from './name-blocks.ts';
import { nameAfter, parseTemplate, STANDARD_PATTERN, type NamingPattern } from './naming-pattern.ts';

const categories = builtInCategoryList();
const record = {
  ...emptyRecord(),
  catId: 'CERMBrk',
  fxName: 'vase shatters on USB hub',
  creatorId: 'ORV',
  sourceId: 'CLAY',
  library: 'Canal Side',
  keywords: ['vase', 'stone'],
};
const free = (template: string) => nameAfter({ kind: 'free', template }, record, '.wav', categories);

describe('naming after the standard', () => {
  it('is the standard name when no block has a rule', () => {
    expect(nameAfter(STANDARD_PATTERN, record, '.wav', categories)).toEqual(buildName(record, '.wav', categories));
  });

  it('fills blocks from other fields, in another case, without spaces', () => {
    const pattern: NamingPattern = {
      kind: 'ucs',
      blocks: {
        fxName: { field: 'fxName', letterCase: 'title', spaces: 'kept' },
        sourceId: { field: 'library', letterCase: 'upper', spaces: 'removed' },
      },
    };
    expect(nameAfter(pattern, record, '.wav', categories).name).toBe(
      'CERMBrk_Vase Shatters on USB Hub_ORV_CANALSIDE.wav',
    );
  });
});

describe('naming after a template', () => {
  it.each([
    ['{fxName:title} - {library}', 'Vase Shatters on USB Hub - Canal Side.wav'],
    ['{LIBRARY:upper:joined}[ - {project}] - {catId}', 'CANALSIDE - CERMBrk.wav'],
    ['[{project} ]{creatorId}[ ({keywords})]', 'ORV (vase, stone).wav'],
  ])('%s gives %s', (template, name) => {
    expect(free(template)).toEqual({ name, blocks: null, problems: [] });
  });

  it('says which field is missing, and which characters were replaced', () => {
    expect(free('{project}: {creatorId}').problems.map(({ code, message }) => `${code} ${message}`)).toEqual([
      'BLOCK_MISSING Project is missing.',
      'CHARACTERS_REPLACED “: ORV” becomes “ORV”: some of its characters are illegal in names.',
    ]);
    expect(free('[{project}]').problems).toMatchObject([{ code: 'BLOCK_MISSING', severity: 'error' }]);
  });

  it.each([
    ['{fxName', 'A “{” is not closed (character 1)'],
    ['{fxName} - {pitch}', 'There is no field “pitch” (character 12)'],
    ['{fxName:loud}', '“loud” is not one of asIs, title, sentence, upper, lower, joined (character 1)'],
    ['ab]{fxName}', 'A “]” closes nothing (character 3)'],
    ['[{fxName}', 'A “[” is not closed (character 10)'],
    ['only text', 'The pattern holds no field (character 10)'],
  ])('points at the fault in %s', (template, message) => {
    expect(() => parseTemplate(template)).toThrow(message);
  });

  it.each(['con', 'NUL', 'Lpt1', 'com9'])('refuses the name of a device: %s', (fxName) => {
    const { problems } = nameAfter({ kind: 'free', template: '{fxName}' }, { fxName }, '.wav', categories);
    expect(problems).toMatchObject([{ code: 'NAME_RESERVED', severity: 'error' }]);
  });

  it('never gives a name that some file system refuses, unless it says so', () => {
    fc.assert(
      fc.property(fc.string({ unit: 'binary', maxLength: 300 }), (fxName) => {
        const { name, problems } = nameAfter({ kind: 'free', template: '{fxName}' }, { fxName }, '', categories);
        fc.pre(problems.every((problem) => problem.severity !== 'error'));
        // eslint-disable-next-line no-control-regex -- control characters are what is looked for
        expect(name).not.toMatch(/[<>:"/\\|?*\u0000-\u001f]|[. ]$|^ |^$/);
        expect(new TextEncoder().encode(name).length).toBeLessThanOrEqual(255);
      }),
    );
  });
});
