import { AppError } from '@flagstone/core/errors';
import { and, desc, eq, isNull } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import { batches } from '../db/schema.ts';

/** The batch of that name on a folder that is not filed yet, else a new one. Returns its id. */
export async function batchOfFolder(
  app: AppContext,
  folderId: number,
  name: string,
  personId: number,
): Promise<number> {
  const unfiled = and(eq(batches.folderId, folderId), isNull(batches.filedAt), eq(batches.name, name));
  const [open] = await app.db.select().from(batches).where(unfiled).orderBy(desc(batches.id)).limit(1);
  if (open) return open.id;
  const [row] = await app.db.insert(batches).values({ name, folderId, createdBy: personId }).returning();
  if (!row) throw new AppError('INTERNAL', 'The batch could not be recorded.');
  return row.id;
}
