import { AppError } from '@flagstone/core/errors';
import type { newSavedSearchSchema, SavedSearch } from '@flagstone/contract/saved-searches';
import { filterSchema } from '@flagstone/contract/selection';
import { and, eq, sql } from 'drizzle-orm';
import type { z } from 'zod';
import type { AppContext } from '../app-context.ts';
import { savedSearches, savedSearchVisits } from '../db/finding-schema.ts';
import type { Sight } from '../rights/rights.ts';
import type { SeenFilter } from '../rights/seen.ts';
import { countHits } from './count-hits.ts';

/** The searches of a person and those that are shared, each with how many sounds it finds now and how many came since the person last looked. */
export async function listSavedSearches(app: AppContext, personId: number, sight: Sight): Promise<SavedSearch[]> {
  const { rows } = await app.db.execute<{
    id: number;
    name: string;
    query: Record<string, string>;
    shared: boolean;
    person_id: number;
    person: string;
    seen_at: Date | string;
  }>(sql`
    select s.id, s.name, s.query, s.shared, s.person_id, p.name as person, coalesce(v.seen_at, s.created_at) as seen_at
    from saved_searches s join people p on p.id = s.person_id
    left join saved_search_visits v on v.search_id = s.id and v.person_id = ${personId}
    where s.person_id = ${personId} or s.shared order by s.person_id <> ${personId}, lower(s.name), s.id`);
  return Promise.all(
    rows.map(async ({ id, name, query, shared, person_id: owner, person, seen_at: seen }) => {
      const filter = filterOf(query, personId, sight);
      const [found, arrived] = filter
        ? await Promise.all([
            countHits(app, filter),
            countHits(app, { ...filter, since: new Date(seen).toISOString() }),
          ])
        : [{ count: 0, isApproximate: false }, { count: 0 }];
      return { id, name, query, shared, own: owner === personId, person, ...found, arrived: arrived.count };
    }),
  );
}

/** The filter of a search, with the favourites of whoever asks; undefined for one that an older or newer Flagstone would have to read. */
function filterOf(query: Record<string, string>, personId: number, seenBy: Sight): SeenFilter | undefined {
  const { widen = 'off' } = query;
  const also = widen === 'off' ? '' : widen;
  const filter = filterSchema.safeParse({ ...query, also }).data;
  return filter && { ...filter, seenBy, person: personId };
}

/** Keeps a search; one of the person's own of that name is replaced. Throws BAD_REQUEST. */
export async function saveSearch(
  app: AppContext,
  search: z.infer<typeof newSavedSearchSchema>,
  personId: number,
  sight: Sight,
): Promise<void> {
  if (!filterOf(search.query, personId, sight))
    throw new AppError('BAD_REQUEST', 'This is not a search that the catalogue understands.');
  await app.db.transaction(async (tx) => {
    const mine = and(eq(savedSearches.personId, personId), eq(savedSearches.name, search.name));
    // As if it were new: what is there now was seen.
    const replaced = await tx
      .update(savedSearches)
      .set({ ...search, createdAt: new Date() })
      .where(mine)
      .returning({ id: savedSearches.id });
    for (const { id } of replaced) await tx.delete(savedSearchVisits).where(eq(savedSearchVisits.searchId, id));
    if (replaced.length === 0) await tx.insert(savedSearches).values({ ...search, personId });
  });
}

/** Throws NOT_FOUND for one that is not the person's own. */
export async function removeSavedSearch(app: AppContext, id: number, personId: number): Promise<void> {
  const removed = await app.db
    .delete(savedSearches)
    .where(and(eq(savedSearches.id, id), eq(savedSearches.personId, personId)))
    .returning({ id: savedSearches.id });
  if (removed.length === 0) throw new AppError('NOT_FOUND', `There is no saved search ${id} of yours.`);
}

/** Notes that a person looks at a saved search now: what is there counts as seen. Throws NOT_FOUND. */
export async function visitSavedSearch(
  app: AppContext,
  id: number,
  personId: number,
  sight: Sight,
): Promise<SavedSearch[]> {
  const [search] = await app.db.select().from(savedSearches).where(eq(savedSearches.id, id));
  if (!search) throw new AppError('NOT_FOUND', `There is no saved search ${id} any more.`);
  await app.db
    .insert(savedSearchVisits)
    .values({ searchId: id, personId })
    .onConflictDoUpdate({
      target: [savedSearchVisits.searchId, savedSearchVisits.personId],
      set: { seenAt: new Date() },
    });
  return listSavedSearches(app, personId, sight);
}
