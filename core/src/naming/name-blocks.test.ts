import { describe, expect, it } from '@jest/globals';
import fc from 'fast-check';
import { builtInCategoryList } from '../ucs/category-list.ts';
import {
  BLOCK_NAMES,
  buildName,
  freeName,
  MAX_NAME_BYTES,
  nameKey,
  parseName,
  splitExtension,
  type NameBlocks,
} from './name-blocks.ts';

const categories = builtInCategoryList();
const build = (blocks: NameBlocks) => buildName(blocks, '.wav', categories);
const full: NameBlocks = { catId: 'CERMBrk', fxName: 'Vase Shatters On Stone', creatorId: 'ORV', sourceId: 'CLAY' };

describe('building a name', () => {
  it('lays the blocks after the Universal Category System', () => {
    expect(build(full)).toEqual({ name: 'CERMBrk_Vase Shatters On Stone_ORV_CLAY.wav', blocks: full, problems: [] });
  });

  it('adds the optional blocks only when they are filled', () => {
    const all = { ...full, userCategory: 'KILN', vendorCategory: 'Pottery', userData: 'MKH_2m' };
    expect(build(all).name).toBe('CERMBrk-KILN_Pottery-Vase Shatters On Stone_ORV_CLAY_MKH_2m.wav');
  });

  it('names every missing block as an error', () => {
    const { problems } = build({ catId: 'CERMBrk' });
    expect(problems.map((problem) => [problem.code, problem.block])).toEqual([
      ['BLOCK_MISSING', 'fxName'],
      ['BLOCK_MISSING', 'creatorId'],
      ['BLOCK_MISSING', 'sourceId'],
    ]);
  });

  it('takes separators and characters that some file system refuses out of a block, with a notice', () => {
    const { name, problems } = build({ ...full, fxName: 'Hit: "hard"/soft_02?' });
    expect(name).toBe('CERMBrk_Hit hard soft 02_ORV_CLAY.wav');
    expect(problems).toMatchObject([{ code: 'CHARACTERS_REPLACED', severity: 'notice', block: 'fxName' }]);
  });

  it('keeps a hyphen between spaces but not one that would read as the end of a VendorCategory', () => {
    expect(build({ ...full, fxName: 'Lock Gate - Slow' }).name).toContain('_Lock Gate - Slow_');
    expect(build({ ...full, fxName: 'Lo-Fi Gate' }).name).toContain('_Lo Fi Gate_');
  });

  it('corrects the case of a CatID and refuses one that is not in the list', () => {
    expect(build({ ...full, catId: 'cermbrk' }).name).toMatch(/^CERMBrk_/);
    expect(build({ ...full, catId: 'POTTSmsh' }).problems).toMatchObject([
      { code: 'CATID_UNKNOWN', severity: 'error' },
    ]);
  });

  it('refuses a name longer than a file system holds, counting bytes and leaving room for a counter', () => {
    const { problems, name } = build({ ...full, fxName: 'ä'.repeat(120) });
    expect(problems).toMatchObject([{ code: 'NAME_TOO_LONG', severity: 'error', block: 'fxName' }]);
    expect(new TextEncoder().encode(name).length).toBeGreaterThan(MAX_NAME_BYTES);
  });
});

describe('reading a name back', () => {
  it('gives undefined for a name that is not in UCS form', () => {
    for (const base of ['LOCK GATE, WOODEN 01', 'a_b_c_d', 'CERMBrk_Only Two', 'CERMBrk__X_Y', ''])
      expect(parseName(base, categories)).toBeUndefined();
  });

  it('repairs a CatID in the wrong case and spaces around separators', () => {
    const parsed = parseName('cermbrk _ Vase Break _ORV_ CLAY', categories);
    expect(parsed?.blocks).toEqual({ catId: 'CERMBrk', fxName: 'Vase Break', creatorId: 'ORV', sourceId: 'CLAY' });
    expect(parsed?.problems).toMatchObject([{ code: 'CATID_CASE' }]);
  });

  it('tells the counter of a taken name from the SourceID', () => {
    expect(parseName('CERMBrk_Vase_ORV_CLAY 02', categories)).toMatchObject({
      blocks: { sourceId: 'CLAY' },
      counter: 2,
    });
  });

  it('parses every name that was built back into its blocks', () => {
    const text = fc.string({ unit: 'grapheme', maxLength: 20 });
    const catId = fc.constantFrom(...categories.categories.map((category) => category.catId));
    const record = fc.record(Object.fromEntries(BLOCK_NAMES.map((block) => [block, block === 'catId' ? catId : text])));
    fc.assert(
      fc.property(record, (fields: NameBlocks) => {
        const planned = build(fields);
        fc.pre(planned.problems.every((problem) => problem.severity !== 'error'));
        expect(parseName(splitExtension(planned.name).base, categories)?.blocks).toEqual(planned.blocks);
      }),
      { numRuns: 3000 },
    );
  });

  it('never builds a name with a character that Windows, macOS or Linux refuses', () => {
    fc.assert(
      fc.property(fc.string({ unit: 'binary' }), fc.string(), (fxName, userData) => {
        const { base } = splitExtension(build({ ...full, fxName, userData }).name);
        // eslint-disable-next-line no-control-regex -- control characters are what is looked for
        expect(base).not.toMatch(/[<>:"/\\|?*\u0000-\u001f]|[. ]$|^ /);
      }),
    );
  });
});

describe('taken names', () => {
  it('puts a counter before the extension, also against names that differ only in case or normalisation', () => {
    const taken = new Set(['Vase.wav', 'VASE 01.WAV', 'cafe\u0301.wav'].map(nameKey));
    expect(freeName('vase.wav', (key) => taken.has(key))).toBe('vase 02.wav');
    expect(freeName('café.wav', (key) => taken.has(key))).toBe('café 01.wav');
    expect(freeName('bowl.wav', (key) => taken.has(key))).toBe('bowl.wav');
  });
});
