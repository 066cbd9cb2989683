import { randomUUID } from 'node:crypto';
import { AppError } from '@flagstone/core/errors';
import { isEmptyValue } from '@flagstone/core/record/fields';
import type { PathRule } from '@flagstone/contract/rules';
import { filterSchema } from '@flagstone/contract/selection';
import { asc, eq } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import type { SeenSelection } from '../rights/seen.ts';
import { folders, pathRules, people, recipes } from '../db/schema.ts';
import { pathMatcher } from '../disk/path-patterns.ts';
import { editRowByRow } from '../records/edits.ts';
import { runRecipe } from '../describing/recipes.ts';

/** All path rules, in the order in which they run: the first that fills a field keeps it. */
export async function listPathRules(app: Pick<AppContext, 'db'>): Promise<PathRule[]> {
  const rows = await app.db
    .select({ rule: pathRules, person: people.name })
    .from(pathRules)
    .innerJoin(people, eq(people.id, pathRules.personId))
    .orderBy(asc(pathRules.id));
  return rows.map(({ rule: { id, pattern, sets }, person }) => ({
    id,
    pattern,
    sets,
    person,
  }));
}

/** Adds a rule behind the others. */
export async function addPathRule(
  app: AppContext,
  { pattern, sets }: Pick<PathRule, 'pattern' | 'sets'>,
  personId: number,
): Promise<PathRule[]> {
  await app.db.insert(pathRules).values({ pattern, sets, personId });
  return listPathRules(app);
}

/** Removes a rule; what it set stays. Throws NOT_FOUND. */
export async function removePathRule(app: AppContext, id: number): Promise<PathRule[]> {
  const removed = await app.db.delete(pathRules).where(eq(pathRules.id, id)).returning({ id: pathRules.id });
  if (removed.length === 0) throw new AppError('NOT_FOUND', 'There is no such rule.');
  return listPathRules(app);
}

/**
 * Runs all rules on a selection: each sets its fields where they are empty and its pattern fits the path, as a change of its own, so that the
 * history says which rule set what; they are undone in one go. Returns how many records the rules changed.
 */
export async function runPathRules(app: AppContext, selection: SeenSelection, personId: number): Promise<number> {
  let changed = 0;
  const runId = randomUUID();
  for (const { pattern, sets } of await listPathRules(app)) {
    const fits = pathMatcher('', [pattern]);
    const names = Object.keys(sets) as (keyof typeof sets)[];
    const change = { kind: 'rule' as const, summary: `Path rule “${pattern}”`, personId, runId };
    const result = await editRowByRow(app, selection, change, (rows) =>
      Promise.resolve(
        rows.map((row) => {
          if (!fits(`${row.folder}/${row.name}`)) return undefined;
          const empty = names.filter((name) => isEmptyValue(row.record[name]));
          return empty.length === 0 ? undefined : { set: Object.fromEntries(empty.map((name) => [name, sets[name]])) };
        }),
      ),
    );
    changed += result.changed;
  }
  return changed;
}

/** What happens to sounds that are new in a batch: the path rules, then the recipe of the folder. */
export async function describeArrivals(
  app: AppContext,
  { batchId, folderId }: { batchId: number; folderId: number | null },
  personId: number,
): Promise<void> {
  const selection: SeenSelection = {
    kind: 'batch',
    batchId,
    filter: filterSchema.parse({ found: 'new' }),
    seenBy: 'all',
  };
  await runPathRules(app, selection, personId);
  if (folderId === null) return;
  const [recipe] = await app.db
    .select({ name: recipes.name, steps: recipes.steps })
    .from(folders)
    .innerJoin(recipes, eq(recipes.id, folders.recipeId))
    .where(eq(folders.id, folderId));
  if (recipe) await runRecipe(app, { selection, steps: recipe.steps }, personId, recipe.name);
}
