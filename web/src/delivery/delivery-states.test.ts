import { describe, expect, it } from '@jest/globals';
import type { Delivery, DeliveryItem } from '@flagstone/contract/deliveries';
import { PLAIN_PROFILE, SHIPPED_PROFILES } from '@flagstone/core/delivery/profile';
import { standingOf, stateOf, treeRows } from './delivery-states.ts';
import { profileInWords } from './profile-words.ts';

const item = (path: string, more: Partial<DeliveryItem> = {}): DeliveryItem => ({
  path,
  soundId: 1,
  copyId: 1,
  from: path,
  made: '',
  bytes: 1,
  state: 'planned',
  isChanged: false,
  problems: [],
  digest: '',
  ...more,
});

describe('the tree of a delivery', () => {
  it('has each folder once, above what it holds, and files at the top without one', () => {
    const rows = treeRows(
      ['doors/iron/a.wav', 'doors/iron/b.wav', 'doors/wood/a.wav', 'top.wav'].map((path) => item(path)),
    );
    expect(rows.map((row) => `${' '.repeat(row.depth)}${row.kind === 'folder' ? `${row.path}/` : row.name}`)).toEqual([
      'doors/',
      ' doors/iron/',
      '  a.wav',
      '  b.wav',
      ' doors/wood/',
      '  a.wav',
      'top.wav',
    ]);
  });

  it('says of each file how it stands, and of one that was delivered that it changed', () => {
    expect(stateOf(item('a.wav')).word).toBe('to make');
    expect(stateOf(item('a.wav', { isChanged: true })).word).toBe('changed since');
    for (const state of ['done', 'blocked', 'failed', 'left'] as const)
      expect(stateOf(item('a.wav', { state })).sign).not.toBe('');
  });
});

describe('a delivery as a whole', () => {
  const counts = {
    files: 3,
    bytes: 1,
    folders: 1,
    done: 3,
    new: 0,
    changed: 0,
    blocked: 0,
    failed: 0,
    left: 0,
    noticed: 0,
  };
  const standing = (more: Partial<Delivery['counts']>, plannedAt: string | null = '2026-11-30T10:00:00Z'): string =>
    standingOf({ plannedAt, counts: { ...counts, ...more } }).word;

  it('tells first what keeps it from being delivered', () => {
    expect(standing({})).toBe('delivered');
    expect(standing({}, null)).toBe('to be laid out anew');
    expect(standing({ new: 2, changed: 1, blocked: 1 })).toBe('3 to make');
    expect(standing({ failed: 1, new: 2 })).toBe('1 failed');
    expect(standing({ blocked: 2 })).toBe('2 cannot go');
  });
});

describe('a profile in words', () => {
  it('says what is made of the sounds, where they lie, and what goes along', () => {
    expect(profileInWords(PLAIN_PROFILE)).toEqual([
      'files as they are',
      'side by side',
      'the record in each',
      'as a folder',
    ]);
    expect(profileInWords(SHIPPED_PROFILES.game).join('; ')).toBe(
      'WAV, 48 kHz, 16 bits, mono; in {category}; portable names, lower case, spaces as _; the record in each; with table of the records, attribution sheet; as a folder',
    );
    expect(profileInWords(SHIPPED_PROFILES.archive).at(-1)).toBe('as a bag, SHA-512');
    expect(profileInWords(SHIPPED_PROFILES.broadcast)[0]).toContain('-23 LUFS, true peak at most -1 dBTP');
  });
});
