import { AppError } from '@flagstone/core/errors';
import type { SoundRecord } from '@flagstone/core/record/fields';
import type { ChangeResult } from '@flagstone/contract/changes';
import type { ToldRevision } from '@flagstone/contract/record';
import { and, desc, eq, gt, sql } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import type { Queryable } from '../db/connect.ts';
import { idList } from '../db/sql-parts.ts';
import { changes, people, recordRevisions, records } from '../db/schema.ts';
import { toldRevisions } from '../db/sheets-schema.ts';
import { changeRecords } from './edits.ts';

/**
 * Gives a record the values that it had with a revision, as a change of its own: what came after stays in the history. Throws NOT_FOUND for a
 * revision that there never was, NOT_UNDOABLE when nothing differs.
 */
export async function goBack(
  app: AppContext,
  soundId: number,
  revision: number,
  personId: number,
): Promise<ChangeResult> {
  const [record] = await app.db.select().from(records).where(eq(records.soundId, soundId));
  if (!record || revision > record.revision)
    throw new AppError('NOT_FOUND', `There is no revision ${revision} of this record.`);
  const then = await changedSince(app.db, soundId, revision);
  const change = { kind: 'edit' as const, summary: `Back to revision ${revision}`, personId, learns: true };
  const { conflicts: _none, ...result } = await changeRecords(app, change, undefined, async (apply) => {
    await apply([soundId], (now) => ({ ...now, ...then }));
  });
  if (result.changeId === null && result.proposed === 0)
    throw new AppError('NOT_UNDOABLE', `The record says what it said with revision ${revision}.`);
  return result;
}

/** What the fields of a record that were changed since a revision said then. */
export async function changedSince(db: Queryable, soundId: number, revision: number): Promise<Partial<SoundRecord>> {
  const later = await db
    .select({ before: recordRevisions.before })
    .from(recordRevisions)
    .where(and(eq(recordRevisions.soundId, soundId), gt(recordRevisions.revision, revision)))
    .orderBy(desc(recordRevisions.revision));
  const then: Partial<SoundRecord> = {};
  for (const { before } of later) Object.assign(then, before);
  return then;
}

/** The revisions of a sound's record, newest first. */
export async function revisionsOf(app: AppContext, soundId: number) {
  const rows = await app.db
    .select({
      revision: recordRevisions.revision,
      person: people.name,
      at: changes.createdAt,
      kind: changes.kind,
      summary: changes.summary,
      before: recordRevisions.before,
      after: recordRevisions.after,
    })
    .from(recordRevisions)
    .innerJoin(changes, eq(changes.id, recordRevisions.changeId))
    .innerJoin(people, eq(people.id, changes.personId))
    .where(sql`${recordRevisions.soundId} = any(${idList([soundId])})`)
    .orderBy(desc(recordRevisions.revision))
    .limit(200);
  return rows.map((row) => ({ ...row, at: row.at.toISOString() }));
}

/** What other houses told of the history of a sound's record, the newest first. */
export async function toldRevisionsOf(app: AppContext, soundId: number): Promise<ToldRevision[]> {
  const rows = await app.db
    .select()
    .from(toldRevisions)
    .where(eq(toldRevisions.soundId, soundId))
    .orderBy(desc(sql`${toldRevisions.said} ->> 'at'`), desc(toldRevisions.revision))
    .limit(200);
  return rows.map(({ house, revision, said }) => ({ house, revision, ...said }));
}
