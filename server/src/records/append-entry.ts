import { AppError } from '@flagstone/core/errors';
import type { Part } from '@flagstone/contract/listening';
import type { TryOut } from '@flagstone/core/audio/try-out/try-out';
import { sql } from 'drizzle-orm';
import type { Queryable } from '../db/connect.ts';
import { pullEntries } from '../db/schema.ts';

interface NewEntry {
  listId: number;
  soundId: number;
  part: Part | null;
  tryOut: TryOut | null;
  comment: string;
  addedBy: number;
}

/** Puts an entry at the end of a pull list, whose row is locked; returns its number. */
export async function appendEntry(tx: Queryable, { part, listId, ...entry }: NewEntry): Promise<number> {
  const [row] = await tx
    .insert(pullEntries)
    .values({
      ...entry,
      listId,
      place: sql`coalesce((select max(place) from pull_entries where list_id = ${listId}), 0) + 1`,
      fromFrame: part?.from ?? null,
      toFrame: part?.to ?? null,
    })
    .returning({ id: pullEntries.id });
  if (!row) throw new AppError('INTERNAL', 'The entry could not be recorded.');
  return row.id;
}
