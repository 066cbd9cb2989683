import { execFileSync, spawnSync } from 'node:child_process';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import os from 'node:os';
import path from 'node:path';
import { afterAll, describe, expect, it } from '@jest/globals';
import fc from 'fast-check';
import {
  emptyRecord,
  FIELD_NAMES,
  FIELDS,
  filledFields,
  sameValue,
  type FieldName,
  type SoundRecord,
} from './fields.ts';
import { mergeLists, threeWays } from './three-way.ts';

const folder = mkdtempSync(path.join(os.tmpdir(), 'flagstone-merge-'));
afterAll(() => rmSync(folder, { recursive: true, force: true }));

/** Words of a few, so that two often say the same. */
const word = fc.constantFrom('', 'kiln', 'lock gate', 'weir', 'goose');
const words = fc.uniqueArray(fc.constantFrom('clay', 'creak', 'water', 'wood', 'night', 'far'), { maxLength: 5 });
const numbers: Partial<Record<FieldName, fc.Arbitrary<number | null>>> = {
  ...Object.fromEntries(FIELDS.filter(({ range }) => range).map(({ name }) => [name, fc.constantFrom(null, 1, 2, 3)])),
};
/** Categories are told on their own below. */
const CATEGORY: FieldName[] = ['catId', 'category', 'subCategory'];
const records: fc.Arbitrary<SoundRecord> = fc
  .record(
    Object.fromEntries(
      FIELD_NAMES.filter((name) => !CATEGORY.includes(name)).map((name) => [
        name,
        name === 'keywords' ? words : (numbers[name] ?? word),
      ]),
    ),
  )
  .map((fields) => ({ ...emptyRecord(), ...fields }));

describe('a record and a file, against what both last agreed on', () => {
  it('differ in no field that they say the same in, and in each other one', () => {
    fc.assert(
      fc.property(records, records, records, (base, record, file) => {
        const fields = threeWays(record, filledFields(file), base).map(({ field }) => field);
        expect(fields).toEqual(FIELD_NAMES.filter((name) => !sameValue(record[name], file[name])));
      }),
    );
  });

  it('become what the one says that changed, when the other did not', () => {
    fc.assert(
      fc.property(records, records, (base, changed) => {
        for (const each of threeWays(base, filledFields(changed), base)) {
          expect(each.standing).toBe('file');
          expect(sameValue(each.merged, changed[each.field])).toBe(true);
        }
        for (const each of threeWays(changed, filledFields(base), base)) {
          expect(each.standing).toBe('record');
          expect(each.merged).toEqual(changed[each.field]);
        }
      }),
    );
  });

  it('stand the other way round when they are taken for each other', () => {
    const other = { record: 'file', file: 'record', both: 'both' } as const;
    fc.assert(
      fc.property(records, records, records, (base, one, two) => {
        const [there, back] = [threeWays(one, filledFields(two), base), threeWays(two, filledFields(one), base)];
        expect(there.map(({ field, standing }) => [field, standing])).toEqual(
          back.map(({ field, standing }) => [field, other[standing]]),
        );
      }),
    );
  });

  it('have nobody choose but where both changed a field to something else, and lists never', () => {
    fc.assert(
      fc.property(records, records, records, (base, record, file) => {
        for (const { field, standing, merged } of threeWays(record, filledFields(file), base))
          expect([field, merged === undefined]).toEqual([field, standing === 'both' && field !== 'keywords']);
      }),
    );
  });

  it('never agreed before: whoever says something counts', () => {
    const record = { ...emptyRecord(), fxName: 'Lock gate', notes: 'mine' };
    const told = threeWays(record, { library: 'Canal', notes: 'theirs' }, undefined);
    expect(told.map(({ field, standing, merged }) => [field, standing, merged])).toEqual([
      ['fxName', 'record', 'Lock gate'],
      ['notes', 'both', undefined],
      ['library', 'file', 'Canal'],
    ]);
  });

  it('compare categories by their CatID, whose names a file may leave out', () => {
    const weir = { ...emptyRecord(), catId: 'WATRFlow', category: 'WATER', subCategory: 'FLOW' };
    const door = { ...emptyRecord(), catId: 'DOORWood', category: 'DOORS', subCategory: 'WOOD' };
    expect(threeWays(weir, { catId: 'WATRFlow' }, weir)).toEqual([]);
    expect(threeWays(door, filledFields(weir), weir).map(({ field, standing }) => [field, standing])).toEqual([
      ['catId', 'record'],
    ]);
    expect(threeWays(weir, { catId: 'DOORWood' }, weir).map(({ field, standing }) => [field, standing])).toEqual([
      ['catId', 'file'],
    ]);
  });
});

describe('two lists that came from one', () => {
  it('hold what either added and not what either took away, once, whichever is the first', () => {
    fc.assert(
      fc.property(words, words, words, (base, ours, theirs) => {
        const merged = mergeLists(base, ours, theirs);
        const wanted = [...base, ...ours, ...theirs].filter((each) =>
          base.includes(each) ? ours.includes(each) && theirs.includes(each) : true,
        );
        expect([...merged].sort()).toEqual([...new Set(wanted)].sort());
        expect([...mergeLists(base, theirs, ours)].sort()).toEqual([...merged].sort());
      }),
    );
  });

  it('keep the order of the first', () => {
    fc.assert(
      fc.property(words, words, words, (base, ours, theirs) => {
        const merged = mergeLists(base, ours, theirs);
        const kept = ours.filter((each) => merged.includes(each));
        expect(merged.slice(0, kept.length)).toEqual(kept);
      }),
    );
  });
});

describe('git, asked to merge the same records line by line', () => {
  /** One line for each field, far enough from the next that git takes them for changes of their own. */
  const lines = (record: SoundRecord): string =>
    FIELD_NAMES.filter((name) => name !== 'keywords')
      .map((name) => `-- ${name}\n.\n.\n${String(record[name] ?? '')}\n.\n.\n`)
      .join('');
  const write = (name: string, text: string): string => {
    const file = path.join(folder, name);
    writeFileSync(file, text);
    return file;
  };

  it('comes to the same values, and to as many conflicts', () => {
    execFileSync('git', ['--version']);
    fc.assert(
      fc.property(records, records, records, (base, record, file) => {
        const told = threeWays(record, filledFields(file), base).filter(({ field }) => field !== 'keywords');
        const files = [write('record', lines(record)), write('base', lines(base)), write('file', lines(file))];
        const { status, stdout } = spawnSync('git', ['merge-file', '-p', '--diff3', ...files], { encoding: 'utf8' });
        expect(status).toBe(told.filter(({ standing }) => standing === 'both').length);
        const merged = { ...record };
        for (const { field, merged: value } of told)
          Object.assign(merged, value === undefined ? {} : { [field]: value });
        // Where git leaves a conflict, ours is what stands first in it.
        const settled = stdout.replace(/^<{7}.*\n([^]*?)^\|{7}[^]*?^>{7}.*\n/gm, '$1');
        expect(settled).toBe(lines(merged));
      }),
      { numRuns: 60 },
    );
  });
});
