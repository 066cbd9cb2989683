import { filterSchema, type ListFilter } from '@flagstone/contract/selection';
import type { LocationQuery } from 'vue-router';

/** What an address can narrow a list by, beside words and categories. */
export const NARROWINGS = [
  'collection',
  'disagrees',
  'missing',
  'state',
  'drive',
  'readFolder',
  'length',
  'loudness',
  'found',
  'since',
] as const;
export type Narrowing = Pick<ListFilter, (typeof NARROWINGS)[number]>;

/** What the address bar narrows the list by; what it does not understand narrows nothing. */
export function narrowingIn(query: LocationQuery): Narrowing {
  const read = <Key extends keyof Narrowing>(key: Key): Narrowing[Key] => {
    const parsed = filterSchema.shape[key].safeParse(query[key] ?? '');
    return (parsed.success ? parsed.data : '') as Narrowing[Key];
  };
  return {
    collection: read('collection'),
    disagrees: read('disagrees'),
    missing: read('missing'),
    state: read('state'),
    drive: read('drive'),
    readFolder: read('readFolder'),
    length: read('length'),
    loudness: read('loudness'),
    found: read('found'),
    since: read('since'),
  };
}
