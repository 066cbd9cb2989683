import { randomBytes } from 'node:crypto';
import { and, eq, inArray, sql } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import { copies, installation, jobs, journal } from '../db/schema.ts';
import { useJournalKeys } from '../disk/journal-keys.ts';
import type { KnownWrites } from '../disk/leftovers.ts';
import type { Database } from '../db/connect.ts';
import { SILENT_SINCE } from '../jobs/job-queue.ts';

/** What the database knows of writes in a folder that no drive is known of: copies that were cut short, and no files that are ours to finish. */
export function unknownWrites(app: AppContext): KnownWrites {
  return {
    hasEnded: async (token) => {
      const runs = and(
        eq(jobs.state, 'running'),
        // Versions before had nothing but host and number.
        sql`(${jobs.worker} = ${token} or split_part(${jobs.worker}, ' ', 2) = ${token})`,
        sql`${jobs.heartbeatAt} >= ${SILENT_SINCE}`,
      );
      return (await app.db.$count(jobs, runs)) === 0;
    },
    isUnderWay: () => Promise.resolve(false),
  };
}

/** What the database knows of writes into files of a folder of a drive. */
export function knownWrites(app: AppContext, driveId: string, folder: string): KnownWrites {
  return {
    ...unknownWrites(app),
    isUnderWay: async (name) => {
      const [item] = await app.db
        .select({ id: journal.id })
        .from(journal)
        .innerJoin(copies, eq(copies.id, journal.copyId))
        .where(
          and(
            inArray(journal.state, ['started', 'undoing']),
            eq(copies.driveId, driveId),
            eq(copies.folder, folder),
            eq(copies.name, name),
          ),
        )
        .limit(1);
      return item !== undefined;
    },
  };
}

/** Takes the key by which all processes of one database sign their write-journals; the first makes it. `fileKey`: that of commands on this machine. */
export async function takeJournalKey(db: Database, fileKey: Buffer | undefined): Promise<void> {
  await db
    .insert(installation)
    .values({ id: 1, writeKey: randomBytes(32) })
    .onConflictDoNothing();
  const [row] = await db.select().from(installation);
  if (row) useJournalKeys(row.writeKey, ...(fileKey ? [fileKey] : []));
}
