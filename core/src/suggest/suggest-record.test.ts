import { describe, expect, it } from '@jest/globals';
import { emptyRecord } from '../record/fields.ts';
import { builtInCategoryList } from '../ucs/category-list.ts';
import { SUGGESTED_FIELDS, suggestRecord, type SuggestionSources } from './suggest-record.ts';

const categories = builtInCategoryList();
const all = new Set(SUGGESTED_FIELDS);
const sources: SuggestionSources = {
  record: emptyRecord(),
  fileName: '03_KILN DOOR slam, USB fan_T02.wav',
  category: { catId: 'DOORMetl', category: 'DOORS', subCategory: 'METAL' },
  measured: { form: 'single', weight: 4, activity: 2, tempoBpm: 96.04, key: 'Am' },
  neighbours: { library: 'Canal Company', sourceId: 'CLAY' },
};

describe('suggesting a record', () => {
  it('fills every field that something speaks for', () => {
    expect(suggestRecord(sources, all, categories)).toEqual({
      catId: 'DOORMetl',
      fxName: 'KILN DOOR Slam USB Fan 02',
      description: 'Kiln door slam USB fan',
      keywords: ['kiln', 'door', 'slam', 'usb', 'fan', 'doors', 'metal'],
      form: 'single',
      weight: 4,
      activity: 2,
      tempo: 96,
      library: 'Canal Company',
      sourceId: 'CLAY',
    });
  });

  it('replaces nothing, keeps to the wanted fields, and says nothing that nobody told', () => {
    const record = { ...emptyRecord(), fxName: 'Iron Clang', keywords: ['mine'], weight: 1 };
    const given = { ...sources, record, category: undefined, measured: null, neighbours: {} };
    expect(suggestRecord(given, all, categories)).toEqual({ description: 'Iron clang' });
    expect(suggestRecord({ ...sources, record }, new Set(['catId', 'keywords', 'tempo']), categories)).toEqual({
      catId: 'DOORMetl',
      tempo: 96,
    });
    expect(suggestRecord({ ...given, record: emptyRecord(), fileName: '0031.wav' }, all, categories)).toEqual({});
  });

  it('keeps model numbers among the keywords, and takes none for one', () => {
    const given = { ...sources, category: undefined, fileName: 'HX7 drill MK2 T04.wav' };
    expect(suggestRecord(given, new Set(['keywords']), categories)).toEqual({ keywords: ['drill', 'HX7', 'MK2'] });
  });
});
