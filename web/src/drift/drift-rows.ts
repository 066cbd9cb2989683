import {
  DRIFT_STATES,
  type Drift,
  type DriftCounts,
  type DriftDay,
  type DriftFolder,
  type DriftState,
} from '@flagstone/contract/drift';

import type { ProofTimes } from '@flagstone/contract/proof';

/** A drive of the matrix with the folders that were read from it, and what both hold. */
export interface DriftDrive {
  id: string;
  name: string;
  isAway: boolean;
  isRetired: boolean;
  oldestProofAt: string | null;
  proof: ProofTimes | null;
  counts: DriftCounts;
  notInStepWhenLastHere: number;
  folders: DriftFolder[];
}

/** Which folders count: those of one collection, or of all that are in use. */
export type FolderChoice = (folder: DriftFolder) => boolean;

const added = (folders: readonly DriftFolder[]): DriftCounts =>
  Object.fromEntries(
    DRIFT_STATES.map((state) => [state, folders.reduce((sum, { counts }) => sum + counts[state], 0)]),
  ) as DriftCounts;

/** The drives that hold something of what counts, each with the sum of its folders. */
export function driveRows({ drives, folders }: Drift, counts: FolderChoice): DriftDrive[] {
  return drives.flatMap((drive) => {
    const own = folders.filter((folder) => folder.driveId === drive.id && counts(folder));
    const notInStepWhenLastHere = own.reduce((sum, folder) => sum + folder.notInStepWhenLastHere, 0);
    return own.length === 0 ? [] : [{ ...drive, folders: own, counts: added(own), notInStepWhenLastHere }];
  });
}

/** The sum over all drives. */
export const totalOf = (rows: readonly DriftDrive[]): DriftCounts => added(rows.flatMap(({ folders }) => folders));

/** How many copies do not carry their record, as far as their drives are here. */
export const notInStep = ({ behind, ahead, split }: DriftCounts): number => behind + ahead + split;

/** Files not In step by day, as bars that open them. */
export function barsByDay(days: readonly DriftDay[]): { label: string; value: number; shown: string; to: string }[] {
  const number = (value: number): string => value.toLocaleString('en');
  return days.map(({ day, behind, ahead, split, gone }) => ({
    label: new Date(day).toLocaleDateString('en-GB', { day: 'numeric', month: 'short' }),
    value: behind + ahead + split,
    shown: `${number(behind)} Behind, ${number(ahead)} Ahead, ${number(split)} Split, ${number(gone)} Gone`,
    to: '/catalogue?state=notInStep',
  }));
}

/** What the catalogue is narrowed by to list the copies that a number counts; empty parts are left out. */
export function listBehind(
  state: DriftState | 'alone',
  {
    drive,
    readFolder,
    collection,
  }: { drive?: string; readFolder?: number | null; collection?: number | null | undefined },
): Record<string, string> {
  return {
    state,
    ...(drive === undefined ? {} : { drive }),
    ...(readFolder === undefined || readFolder === null ? {} : { readFolder: String(readFolder) }),
    ...(collection === undefined || collection === null ? {} : { collection: String(collection) }),
  };
}
