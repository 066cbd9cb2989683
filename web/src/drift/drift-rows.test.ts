import { DRIFT_STATES, type Drift, type DriftCounts } from '@flagstone/contract/drift';
import { describe, expect, it } from '@jest/globals';
import { DRIFT_COLUMNS } from './drift-columns.ts';
import { barsByDay, driveRows, listBehind, notInStep, totalOf } from './drift-rows.ts';

const counts = (some: Partial<DriftCounts>): DriftCounts =>
  ({ ...Object.fromEntries(DRIFT_STATES.map((state) => [state, 0])), ...some }) as DriftCounts;
const drive = (id: string, isAway = false) => ({
  id,
  name: `Drive ${id}`,
  isAway,
  isRetired: false,
  oldestProofAt: null,
  proof: null,
});
const folder = (
  driveId: string,
  collectionId: number | null,
  some: Partial<DriftCounts>,
  notInStepWhenLastHere = 0,
) => ({
  driveId,
  readFolderId: 1,
  folder: 'gates',
  collectionId,
  lastReadAt: null,
  counts: counts(some),
  prepared: { inStep: 0, behind: 0, ahead: 0, split: 0, gone: 0, damaged: 0, unproved: 0 },
  notInStepWhenLastHere,
});
const DRIFT: Drift = {
  drives: [drive('a'), drive('b', true), drive('c')],
  folders: [
    folder('a', 1, { inStep: 3, behind: 1 }),
    folder('a', 2, { ahead: 2 }),
    folder('b', 1, { away: 4 }, 2),
    folder('c', 2, { gone: 1 }),
  ],
};

describe('the rows of the matrix', () => {
  it('add up the folders of each drive', () => {
    const rows = driveRows(DRIFT, () => true);
    expect(rows.map(({ name, folders }) => [name, folders.length])).toEqual([
      ['Drive a', 2],
      ['Drive b', 1],
      ['Drive c', 1],
    ]);
    expect(rows[0]?.counts).toEqual(counts({ inStep: 3, behind: 1, ahead: 2 }));
    expect(rows[1]?.notInStepWhenLastHere).toBe(2);
    expect(totalOf(rows)).toEqual(counts({ inStep: 3, behind: 1, ahead: 2, away: 4, gone: 1 }));
    expect(notInStep(totalOf(rows))).toBe(3);
  });

  it('leave out drives that hold nothing of the collection', () => {
    const rows = driveRows(DRIFT, ({ collectionId }) => collectionId === 1);
    expect(rows.map(({ id }) => id)).toEqual(['a', 'b']);
    expect(rows[0]?.counts).toEqual(counts({ inStep: 3, behind: 1 }));
  });
});

describe('the list behind a number', () => {
  it('is narrowed by what the number is of', () => {
    expect(listBehind('behind', { drive: 'a', readFolder: 3, collection: 1 })).toEqual({
      state: 'behind',
      drive: 'a',
      readFolder: '3',
      collection: '1',
    });
    expect(listBehind('gone', { drive: 'a', readFolder: null, collection: null })).toEqual({
      state: 'gone',
      drive: 'a',
    });
  });
});

it('counts what is not In step as bars by day, with what it is made of', () => {
  expect(barsByDay([{ day: '2026-11-30', behind: 1200, ahead: 2, split: 1, gone: 4 }])).toEqual([
    {
      label: '30 Nov',
      value: 1203,
      shown: '1,200 Behind, 2 Ahead, 1 Split, 4 Gone',
      to: '/catalogue?state=notInStep',
    },
  ]);
});

it('marks every state with a shape and a word of its own', () => {
  expect(DRIFT_COLUMNS.map(({ state }) => state)).toEqual([...DRIFT_STATES]);
  for (const key of ['shape', 'word'] as const)
    expect(new Set(DRIFT_COLUMNS.map((column) => column[key])).size).toBe(DRIFT_STATES.length);
});
