import { parseArgs } from 'node:util';
import { DRIFT_STATES, type Drift, type DriftFolder, type DriftState } from '@flagstone/contract/drift';
import { isNull } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import { collections, drives } from '../db/schema.ts';
import { driveIsHere } from '../drives/drives.ts';
import { driftOf } from '../records/drift.ts';
import { inDataFolder } from './in-data-folder.ts';
import { UsageError } from './usage.ts';

/**
 * `drift`: how copies stand to their records, on a database that runs or not: one JSON object for each drive, collection and state. Those of sounds in preparation count with
 * the others, and once more by themselves.
 */
export async function drift(args: string[]): Promise<number> {
  const { values, positionals } = parseArgs({ args, allowPositionals: true, options: { data: { type: 'string' } } });
  if (positionals.length > 0) throw new UsageError('use\ndrift [--data DIR]');
  for (const line of await inDataFolder(values.data, [], driftLines)) process.stdout.write(`${JSON.stringify(line)}\n`);
  return 0;
}

/** Copies in preparation have a state too, which counts here, where no list has to agree with the number. */
function inPreparation({ prepared }: DriftFolder, state: DriftState, isAway: boolean): number {
  const { gone, damaged, unproved, ...there } = prepared;
  if (state === 'gone') return gone;
  if (state === 'damaged') return damaged;
  if (state === 'unproved') return unproved;
  if (state === 'away') return isAway ? Object.values(there).reduce((sum, copies) => sum + copies, 0) : 0;
  return !isAway && state in there ? there[state as keyof typeof there] : 0;
}

interface DriftLine {
  drive: string;
  /** Null for copies in no folder that was read. */
  collection: string | null;
  state: DriftState;
  copies: number;
}

async function driftLines({ db }: AppContext): Promise<DriftLine[]> {
  // No server may have looked since a drive was unplugged.
  const rows = await db.select().from(drives).where(isNull(drives.retiredAt));
  const here = new Map<string, boolean>();
  for (const drive of rows) here.set(drive.id, await driveIsHere(drive));
  const names = new Map((await db.select().from(collections)).map(({ id, name }) => [id, name]));
  const found = await driftOf(db, 'all', (id) => here.get(id) === false);
  return found.drives.flatMap((drive) => linesOf(drive, found.folders, names));
}

function linesOf(
  drive: Drift['drives'][number],
  all: Drift['folders'],
  names: ReadonlyMap<number, string>,
): DriftLine[] {
  const folders = all.filter(({ driveId }) => driveId === drive.id);
  const held = [...new Set(folders.map(({ collectionId }) => collectionId))];
  return held.flatMap((collectionId) => {
    const own = folders.filter((folder) => folder.collectionId === collectionId);
    return DRIFT_STATES.map((state) => ({
      drive: drive.name,
      collection: collectionId === null ? null : (names.get(collectionId) ?? null),
      state,
      copies: own.reduce((sum, folder) => sum + folder.counts[state] + inPreparation(folder, state, drive.isAway), 0),
    }));
  });
}
