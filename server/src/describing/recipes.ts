import { AppError } from '@flagstone/core/errors';
import type { FieldName, SoundRecord } from '@flagstone/core/record/fields';
import { prepareRecipe, stepInWords, type RecipeOutcome, type RecipeStep } from '@flagstone/core/recipes/recipe';
import { builtInCategoryList } from '@flagstone/core/ucs/category-list';
import type { ChangeResult } from '@flagstone/contract/changes';
import type { Recipe, RecipePreview, RecipeRun } from '@flagstone/contract/recipes';
import type { SoundRow } from '@flagstone/contract/record';
import { and, asc, eq, or } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import { saidByFiles } from '../records/file-texts.ts';
import type { SeenSelection } from '../rights/seen.ts';
import { people, recipes } from '../db/schema.ts';
import { listedNames } from './authorities.ts';
import { whyRefused } from '../records/refused-edit.ts';
import { editRowByRow } from '../records/edits.ts';
import { placesByPath, selectedRows } from '../records/sound-rows.ts';

/** Rows that a page of a preview holds, and how long a recipe may take for a page of rows. */
const PREVIEW_ROWS = 100;
const PAGE_ROWS = 250;
const PAGE_MILLISECONDS = 5000;

/** The recipes of a person and those that others share, by name. */
export async function listRecipes(app: Pick<AppContext, 'db'>, personId: number): Promise<Recipe[]> {
  const rows = await app.db
    .select({ recipe: recipes, person: people.name })
    .from(recipes)
    .innerJoin(people, eq(people.id, recipes.personId))
    .where(or(eq(recipes.personId, personId), eq(recipes.shared, true)))
    .orderBy(asc(recipes.name), asc(recipes.id));
  return rows.map(({ recipe: { id, name, steps, shared, personId: of }, person }) => {
    return { id, name, steps, shared, person, own: of === personId };
  });
}

/** Keeps a recipe under a name; one of that name that the person made before is replaced. Throws RECIPE_INVALID. */
export async function saveRecipe(
  app: AppContext,
  { name, steps, shared }: Pick<Recipe, 'name' | 'steps' | 'shared'>,
  personId: number,
): Promise<Recipe[]> {
  prepareRecipe(steps, app);
  await app.db.transaction(async (tx) => {
    const mine = and(eq(recipes.personId, personId), eq(recipes.name, name));
    const changed = await tx.update(recipes).set({ steps, shared }).where(mine).returning({ id: recipes.id });
    if (changed.length === 0) await tx.insert(recipes).values({ name, steps, shared, personId });
  });
  return listRecipes(app, personId);
}

/** Forgets a recipe of the person's own; what it changed stays. Throws NOT_FOUND. */
export async function removeRecipe(app: AppContext, id: number, personId: number): Promise<Recipe[]> {
  const mine = and(eq(recipes.id, id), eq(recipes.personId, personId));
  const removed = await app.db.delete(recipes).where(mine).returning({ id: recipes.id });
  if (removed.length === 0) throw new AppError('NOT_FOUND', 'There is no such recipe of yours.');
  return listRecipes(app, personId);
}

/** What runs on what somebody sees. */
type SeenRun = RecipeRun & { selection: SeenSelection };

/** A row with what the steps make of it. */
interface Outcome {
  row: SoundRow;
  index: number;
  set: Partial<SoundRecord>;
  notes: string[];
  problem: string | null;
}

/** What steps make of the rows of a selection, page by page; a sound that is there twice is taken once. */
async function* outcomes(
  app: AppContext,
  { selection, steps }: SeenRun,
  from: { afterCopyId: number; index: number } = { afterCopyId: 0, index: 0 },
): AsyncGenerator<Outcome[]> {
  let { index } = from;
  const places = await placesFor(app, steps, selection);
  const met = new Set<number>();
  for await (const page of selectedRows(app.db, selection, PAGE_ROWS, from.afterCopyId)) {
    const rows = page.filter(({ soundId }) => !met.has(soundId) && met.add(soundId));
    const first = index;
    const made = await outcomesOf(app, steps, rows, places ?? first);
    index += rows.length;
    yield rows.map((row, at) => {
      const { set, notes } = made[at] ?? { set: {}, notes: [] };
      return { row, index: first + at, set, notes, problem: problemWith(app, row.record, set) };
    });
  }
}

/** The places of copies in the order of their paths, from 0. */
type Places = ReadonlyMap<number, number>;

/** Rows come in the order in which they were read, but are numbered in the order of their paths; undefined when nothing is numbered. */
async function placesFor(
  app: AppContext,
  steps: readonly RecipeStep[],
  selection: SeenSelection,
): Promise<Places | undefined> {
  return steps.some((step) => step.do === 'number') ? placesByPath(app.db, selection) : undefined;
}

async function outcomesOf(
  app: AppContext,
  steps: readonly RecipeStep[],
  rows: readonly SoundRow[],
  places: Places | number,
): Promise<RecipeOutcome[]> {
  const looksUp = steps.some((step) => step.do === 'lookUp' || step.do === 'readName');
  const inFile = steps.some((step) => step.do === 'put' && step.from === 'inFile')
    ? await saidByFiles(app.db, rows)
    : undefined;
  const task = {
    steps,
    ...(looksUp ? { names: await listedNames(app) } : {}),
    ...(app.categories === builtInCategoryList()
      ? {}
      : { list: { source: app.categories.source, categories: [...app.categories.categories] } }),
    rows: rows.map(({ copyId, record, name, folder }, at) => {
      const index = typeof places === 'number' ? places + at : (places.get(copyId) ?? 0);
      return { record, fileName: name, folder, index, ...(inFile ? { inFile: inFile.get(copyId) ?? {} } : {}) };
    }),
  };
  const result = await app.workers.runRecipe(task, AbortSignal.timeout(PAGE_MILLISECONDS)).catch((error: unknown) => {
    if (!(error instanceof Error) || error.name !== 'AbortError') throw error;
    const message = `The recipe took more than ${PAGE_MILLISECONDS / 1000} seconds for ${rows.length} rows and was stopped.`;
    throw new AppError('RECIPE_TOO_SLOW', message, { cause: error });
  });
  if (!result.ok) throw new AppError(result.code, result.message);
  return result.outcomes;
}

/** Why a record cannot take what a recipe makes of it; null when it can. */
function problemWith(app: AppContext, record: SoundRecord, set: Partial<SoundRecord>): string | null {
  const refused = whyRefused(app, record, set);
  if (refused !== null) return refused;
  return record.fxName !== '' && set.fxName === '' ? 'Nothing would be left of the FXName.' : null;
}

const isChanged = ({ set }: Outcome): boolean => Object.keys(set).length > 0;
/** Whether a row is worth showing: it changes, cannot, or something is to be known of it. */
const isTelling = (outcome: Outcome): boolean =>
  outcome.problem !== null || isChanged(outcome) || outcome.notes.length > 0;

/**
 * The next rows of a selection that steps change, with their values before and after; stops looking when `signal` is aborted. Throws
 * RECIPE_INVALID, RECIPE_TOO_SLOW.
 */
export async function previewRecipe(
  app: AppContext,
  run: SeenRun,
  from: { afterCopyId: number; index: number } | undefined,
  signal?: AbortSignal,
): Promise<RecipePreview> {
  prepareRecipe(run.steps, app);
  const rows: RecipePreview['rows'] = [];
  for await (const page of outcomes(app, run, from)) {
    if (signal?.aborted) break;
    for (const outcome of page) {
      if (!isTelling(outcome)) continue;
      const { row, index, set, notes, problem } = outcome;
      const changes = (Object.keys(set) as FieldName[]).map((field) => {
        return { field, before: shown(row.record[field]), after: shown(set[field]) };
      });
      rows.push({ copyId: row.copyId, name: row.name, changes, notes, problem });
      if (rows.length >= PREVIEW_ROWS) return { rows, next: { afterCopyId: row.copyId, index: index + 1 } };
    }
  }
  return { rows, next: null };
}

function shown(value: SoundRecord[FieldName] | undefined): string {
  return Array.isArray(value) ? value.join(', ') : String(value ?? '');
}

/** How many rows of a selection there are, change, and cannot take the change; stops counting when `signal` is aborted. */
export async function countRecipe(app: AppContext, run: SeenRun, signal?: AbortSignal) {
  prepareRecipe(run.steps, app);
  const counts = { rows: 0, changed: 0, problems: 0, notes: 0 };
  for await (const page of outcomes(app, run)) {
    if (signal?.aborted) return counts;
    counts.rows += page.length;
    for (const outcome of page) {
      if (outcome.problem !== null) counts.problems += 1;
      else if (isChanged(outcome)) counts.changed += 1;
      if (outcome.notes.length > 0) counts.notes += 1;
    }
  }
  return counts;
}

/** Runs steps on a selection, as one change that can be undone as one; rows with a problem stay as they are. */
export async function runRecipe(
  app: AppContext,
  { selection, steps }: { selection: SeenSelection; steps: RecipeStep[] },
  personId: number,
  name?: string,
): Promise<ChangeResult> {
  prepareRecipe(steps, app);
  const summary = name === undefined ? steps.map(stepInWords).join('; ') : `Recipe “${name}”`;
  let index = 0;
  const places = await placesFor(app, steps, selection);
  return editRowByRow(app, selection, { kind: 'recipe', summary, personId }, async (rows, inside) => {
    const made = await outcomesOf(inside, steps, rows, places ?? index);
    index += rows.length;
    return rows.map((row, at) => {
      const set = made[at]?.set ?? {};
      return Object.keys(set).length > 0 && problemWith(app, row.record, set) === null ? { set } : undefined;
    });
  });
}
