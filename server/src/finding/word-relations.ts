import { AppError } from '@flagstone/core/errors';
import type { newRelationSchema, WordRelation } from '@flagstone/contract/reading';
import { asc, eq } from 'drizzle-orm';
import type { z } from 'zod';
import type { AppContext } from '../app-context.ts';
import type { Queryable } from '../db/connect.ts';
import { wordRelations } from '../db/finding-schema.ts';
import { people } from '../db/schema.ts';

/** What people added to the thesaurus or took away from it. */
export async function listRelations(app: AppContext): Promise<WordRelation[]> {
  const rows = await app.db
    .select({ relation: wordRelations, person: people.name })
    .from(wordRelations)
    .innerJoin(people, eq(people.id, wordRelations.personId))
    .orderBy(asc(wordRelations.word), asc(wordRelations.related));
  return rows.map(({ relation: { id, word, related, kind, hidden }, person }) => ({
    id,
    word,
    related,
    kind,
    hidden,
    person,
  }));
}

/** Adds a relation or takes one away; what was said of the two words before is replaced. Throws BAD_REQUEST. */
export async function saveRelation(
  app: AppContext,
  relation: z.infer<typeof newRelationSchema>,
  personId: number,
): Promise<WordRelation[]> {
  if (relation.word === relation.related) throw new AppError('BAD_REQUEST', 'A word is not related to itself.');
  await saveRelations(app.db, [relation], personId);
  return listRelations(app);
}

/** Adds relations, or replaces what was said of the same words before. */
export async function saveRelations(
  db: Queryable,
  relations: readonly z.infer<typeof newRelationSchema>[],
  personId: number,
): Promise<void> {
  for (const { word, related, kind, hidden } of relations)
    await db
      .insert(wordRelations)
      .values({ word, related, kind, hidden, personId })
      .onConflictDoUpdate({ target: [wordRelations.word, wordRelations.related], set: { kind, hidden, personId } });
}

/** Forgets what was said: the vocabulary counts again. */
export async function removeRelation(app: AppContext, id: number): Promise<WordRelation[]> {
  await app.db.delete(wordRelations).where(eq(wordRelations.id, id));
  return listRelations(app);
}
