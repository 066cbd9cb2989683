import { describe, expect, it } from '@jest/globals';
import fc from 'fast-check';
import { builtInCategoryList } from '../ucs/category-list.ts';
import { applyEdit } from './edit.ts';
import { differingFields, emptyRecord, FIELD_NAMES, FIELDS, filledFields, isEmptyValue, sameValue } from './fields.ts';
import { recordFromFile } from '../formats/record-from-file.ts';
import { fieldsNotCarried } from './in-step.ts';

const categories = builtInCategoryList();
const edit = (set: Record<string, unknown>, record = emptyRecord()) => applyEdit(record, { set }, categories);

describe('the table of fields', () => {
  it('lists every field of the record once, with a label', () => {
    expect([...FIELD_NAMES].sort()).toEqual(Object.keys(emptyRecord()).sort());
    expect(new Set(FIELDS.map((field) => field.label)).size).toBe(FIELDS.length);
  });

  it('takes empty text, null and an empty list for nothing', () => {
    expect([undefined, null, '', []].every((value) => isEmptyValue(value))).toBe(true);
    expect(sameValue('', undefined)).toBe(true);
    expect(sameValue(['a'], ['a', 'b'])).toBe(false);
    expect(filledFields({ ...emptyRecord(), fxName: 'x' })).toEqual({ fxName: 'x' });
  });
});

describe('editing a record', () => {
  it('fills names from a CatID and the CatID from known names', () => {
    expect(edit({ catId: 'watrdrip' })).toMatchObject({ catId: 'WATRDrip', category: 'WATER', subCategory: 'DRIP' });
    expect(edit({ category: 'Water', subCategory: 'Drip' })).toMatchObject({ catId: 'WATRDrip', category: 'WATER' });
    expect(edit({ category: 'My own', subCategory: 'thing' })).toMatchObject({
      catId: '',
      category: 'MY OWN',
      subCategory: 'THING',
    });
  });

  it('empties all three with the CatID', () => {
    const record = edit({ catId: 'WATRDrip' });
    for (const nothing of [null, '', '  ']) expect(edit({ catId: nothing }, record)).toEqual(emptyRecord());
  });

  it('adds and removes keywords without repeats, ignoring case', () => {
    const record = edit({ keywords: ['Kiln', 'clay; kiln', ' '] });
    expect(record.keywords).toEqual(['Kiln', 'clay']);
    const changed = applyEdit(record, { addKeywords: ['CLAY', 'goose'], removeKeywords: ['kiln'] }, categories);
    expect(changed.keywords).toEqual(['clay', 'goose']);
  });

  it('leaves the record it was given as it was', () => {
    const record = Object.freeze({ ...emptyRecord(), keywords: Object.freeze(['a']) as string[] });
    expect(edit({ fxName: 'b', keywords: ['c'] }, record)).toMatchObject({ fxName: 'b', keywords: ['c'] });
    expect(record).toEqual({ ...emptyRecord(), keywords: ['a'] });
  });

  it.each([
    ['weight', 0, /Weight: 0 is not between 1 and 5/],
    ['weight', 2.5, /whole number/],
    ['tempo', Infinity, /a number is needed/],
    ['form', 'song', /“song” is none of single, series, bed, loop/],
    ['keywords', 'text', /a list is needed/],
    ['fxName', 7, /text is needed/],
    ['catId', 'XXXX', /“XXXX” is not in the category list \(UCS 8.2, from memory\)/],
  ])('refuses %s of %p, naming the field', (field, value, message) => {
    expect(() => edit({ [field]: value })).toThrow(message);
  });

  it('puts one line into one-line fields and keeps lines in long ones', () => {
    expect(edit({ fxName: 'a\r\nb\tc', description: 'a\r\nb\rc' })).toMatchObject({
      fxName: 'a b c',
      description: 'a\nb\nc',
    });
  });

  it('changes nothing when it is applied again', () => {
    fc.assert(
      fc.property(
        fc.string({ unit: 'binary' }),
        fc.array(fc.string()),
        fc.constantFrom('', ...categories.categories.map((each) => each.catId)),
        (text, keywords, catId) => {
          const set = { fxName: text, description: text, keywords, catId };
          const once = edit(set);
          expect(
            differingFields(
              edit({ ...set, fxName: once.fxName, description: once.description, keywords: once.keywords }, once),
              once,
            ),
          ).toEqual([]);
        },
      ),
    );
  });
});

describe('the first record of a sound', () => {
  it('is what the file says, completed by a name in UCS form', () => {
    const record = recordFromFile(
      { fxName: 'From The File', library: 'Clay' },
      'CERMBrk_From The Name_ORV_CLAY.wav',
      categories,
    );
    expect(record).toMatchObject({
      fxName: 'From The File',
      library: 'Clay',
      catId: 'CERMBrk',
      category: 'CERAMICS',
      creatorId: 'ORV',
      sourceId: 'CLAY',
    });
  });

  it.each([
    ['INFO IGNR', 'Mill Machinery', 'Mill Machinery'],
    ['ID3 TCON', '(52)Loom Works', 'Loom Works'],
    ['ID3 TCON', '(52)', ''],
  ] as const)('proposes a genre of no category as VendorCategory: %s “%s”', (place, text, expected) => {
    const unread = [{ place, text }];
    expect(recordFromFile({}, 'wheel.wav', categories, unread).vendorCategory).toBe(expected);
    // Never instead of one that is told.
    expect(recordFromFile({ vendorCategory: 'House' }, 'wheel.wav', categories, unread).vendorCategory).toBe('House');
    const named = recordFromFile({}, 'CERMBrk_House-Pot_ORV_CLAY.wav', categories, unread);
    expect(named.vendorCategory).toBe('House');
  });

  it('takes nothing from another name, and leaves out values that no record may hold', () => {
    expect(recordFromFile({ weight: 9, tempo: 120 }, 'kiln_door_a_b.wav', categories)).toEqual({
      ...emptyRecord(),
      tempo: 120,
    });
  });

  it('keeps a CatID of another release of the list, and a category of another scheme', () => {
    expect(recordFromFile({ catId: 'POTTSmsh' }, 'a.wav', categories).catId).toBe('POTTSmsh');
    expect(recordFromFile({ category: 'POTS', subCategory: 'OLD' }, 'a.wav', categories)).toMatchObject({
      category: 'POTS',
      subCategory: 'OLD',
      catId: '',
    });
  });
});

describe('whether a file carries a record', () => {
  const record = edit({ catId: 'CERMBrk', fxName: 'Pot' });

  it('counts Category and SubCategory as carried by the same CatID when the file is silent on them', () => {
    expect(fieldsNotCarried(record, { catId: 'CERMBrk', fxName: 'Pot' })).toEqual([]);
    expect(fieldsNotCarried(record, { catId: 'CERMBrk', fxName: 'Pot', category: 'DOORS' })).toEqual(['category']);
  });

  it('names what differs and what the file says beyond the record', () => {
    expect(fieldsNotCarried(record, { catId: 'CERMBrk', fxName: 'Vase', notes: 'old' })).toEqual(['fxName', 'notes']);
  });
});
