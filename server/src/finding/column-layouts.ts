import type { ColumnLayout, NamedLayout } from '@flagstone/contract/layouts';
import { and, asc, eq } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import { columnLayouts } from '../db/finding-schema.ts';

/** The column layouts of a person in the order in which they were made, which is that of their keys. */
export async function listLayouts(app: AppContext, personId: number): Promise<NamedLayout[]> {
  const rows = await app.db
    .select()
    .from(columnLayouts)
    .where(eq(columnLayouts.personId, personId))
    .orderBy(asc(columnLayouts.id));
  return rows.map(({ id, name, layout }) => ({ id, name, layout }));
}

/** Keeps a layout; one of that name is replaced. */
export async function saveLayout(
  app: AppContext,
  name: string,
  layout: ColumnLayout,
  personId: number,
): Promise<NamedLayout[]> {
  await app.db
    .insert(columnLayouts)
    .values({ personId, name, layout })
    .onConflictDoUpdate({ target: [columnLayouts.personId, columnLayouts.name], set: { layout } });
  return listLayouts(app, personId);
}

export async function removeLayout(app: AppContext, id: number, personId: number): Promise<NamedLayout[]> {
  await app.db.delete(columnLayouts).where(and(eq(columnLayouts.id, id), eq(columnLayouts.personId, personId)));
  return listLayouts(app, personId);
}
