import type { PlanKind } from '@flagstone/contract/plans';

/** The kinds of plans that are looked at before they run. */
export type ShownPlanKind = Exclude<PlanKind, 'relocate' | 'cut'>;

export interface PlanWords {
  title: string;
  verb: string;
  /** What it acts on, when that is no file. */
  things?: [one: string, several: string];
  /** What is to be done, of one file and of several. */
  toDo: [one: string, several: string];
  /** While it is made. */
  making: string;
  /** When there is nothing to do. */
  allRight: string;
  /** When nothing can run. */
  allBlocked: string;
}

/** What each kind of plan says of itself. */
export const PLAN_WORDS: Record<ShownPlanKind, PlanWords> = {
  rename: {
    title: 'Rename files',
    verb: 'Rename',
    toDo: ['file to rename', 'files to rename'],
    making: 'Building the names and checking the folders…',
    allRight: 'All names are as they should be.',
    allBlocked:
      'Nothing can run yet. Click a missing block to fill it in, or select many rows in Describe and fill the card once for all of them.',
  },
  write: {
    title: 'Write records into files',
    verb: 'Write',
    toDo: ['file to write', 'files to write'],
    making: 'Reading the headers of the files…',
    allRight: 'All files carry their records.',
    allBlocked: 'Nothing can run yet: what is wrong stands beside each file.',
  },
  restore: {
    title: 'Restore damaged files',
    verb: 'Restore',
    toDo: ['file to restore', 'files to restore'],
    making: 'Looking for good copies…',
    allRight: 'None of these files is damaged.',
    allBlocked: 'Nothing can run yet: what is missing stands beside each file.',
  },
  afterList: {
    title: 'Bring files up to date with the category list',
    verb: 'Make',
    things: ['change', 'changes'],
    toDo: ['change to make', 'changes to make'],
    making: 'Reading the headers of the files, and checking the folders…',
    allRight: 'All files are up to date with the list.',
    allBlocked: 'Nothing can run yet: what is wrong stands beside each file.',
  },
  shelve: {
    title: 'Lay files out on the shelf',
    verb: 'Lay out',
    toDo: ['file to lay out on the shelf', 'files to lay out on the shelf'],
    making: 'Looking at what stands there…',
    allRight: 'Everything stands where it belongs.',
    allBlocked: 'Nothing can run yet: what is missing stands beside each file.',
  },
  setAside: {
    title: 'Set files aside',
    verb: 'Set aside',
    toDo: ['file to set aside', 'files to set aside'],
    making: 'Looking at what stands there…',
    allRight: 'None of these files is there any more.',
    allBlocked: 'Nothing can run yet: what is wrong stands beside each file.',
  },
  delete: {
    title: 'Delete files of which a copy is kept',
    verb: 'Delete',
    toDo: ['file to delete', 'files to delete'],
    making: 'Looking for the copies that are kept…',
    allRight: 'None of these files is there any more.',
    allBlocked: 'None of these can be deleted: why not stands beside each file.',
  },
  copy: {
    title: 'Copies on another drive',
    verb: 'Copy',
    toDo: ['file to copy', 'files to copy'],
    making: 'Looking at what stands there…',
    allRight: 'Everything is on that drive already.',
    allBlocked: 'Nothing can run yet: what is missing stands beside each file.',
  },
};
