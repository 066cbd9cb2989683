import { describe, expect, it } from '@jest/globals';
import type { SortKey } from '@flagstone/contract/selection';
import type { SoundList } from '../lists/use-sound-list.ts';
import { headingAt } from './use-groups.ts';

/** As much of a list as headings look at. */
function listOf(sortedBy: SortKey, rows: { library: string; folder: string }[]): SoundList {
  const value = rows.map(({ library, folder }) => ({ folder, record: { library } }));
  return { sortKeys: { value: [{ key: sortedBy, descending: false }] }, rows: { value } } as unknown as SoundList;
}
const headings = (list: SoundList, count: number) =>
  Array.from({ length: count }, (_, index) => headingAt(list, index));
const ROWS = [
  { library: '', folder: 'mill' },
  { library: 'Canal Vol 2', folder: 'mill' },
  { library: 'canal vol 2', folder: 'weir' },
  { library: 'Kiln', folder: '' },
];

describe('headings over rows', () => {
  it('stand where another library begins, whatever its capitals', () =>
    expect(headings(listOf('library', ROWS), 4)).toEqual(['No library', 'Canal Vol 2', undefined, 'Kiln']));

  it('stand where another folder begins', () =>
    expect(headings(listOf('folder', ROWS), 4)).toEqual(['mill', undefined, 'weir', 'Not in a folder']));

  it('are not there in another order, or beyond the rows', () => {
    expect(headings(listOf('name', ROWS), 4)).toEqual([undefined, undefined, undefined, undefined]);
    expect(headingAt(listOf('library', ROWS), 9)).toBeUndefined();
  });
});
