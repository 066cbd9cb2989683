import { AppError, type ErrorCode } from '@flagstone/core/errors';
import type { ListedNames } from '@flagstone/core/text/listed-names';
import { prepareRecipe, type RecipeOutcome, type RecipeRow, type RecipeStep } from '@flagstone/core/text/recipe';
import { Spelling } from '@flagstone/core/text/spelling';
import { builtInCategoryList } from '@flagstone/core/ucs/category-list';
import { englishWords } from './word-net.ts';

export interface RecipeTask {
  steps: readonly RecipeStep[];
  rows: readonly RecipeRow[];
  /** Left out where no step looks anything up in the lists of names. */
  names?: ListedNames;
}
/** What becomes of each row, or why the recipe cannot run; plain data, since it travels between threads. */
export type RecipeResult = { ok: true; outcomes: RecipeOutcome[] } | { ok: false; code: ErrorCode; message: string };

const categories = builtInCategoryList();
let spelling: Spelling | undefined;

/** Runs a recipe on rows, in a worker thread: a pattern that takes for ever is ended with its thread. */
export default function runRecipe({ steps, rows, names }: RecipeTask): RecipeResult {
  try {
    if (steps.some((step) => step.do === 'spell')) spelling ??= new Spelling(categories, englishWords());
    const sources = { categories, ...(names ? { names } : {}), ...(spelling ? { spelling } : {}) };
    return { ok: true, outcomes: rows.map(prepareRecipe(steps, sources)) };
  } catch (error) {
    if (error instanceof AppError) return { ok: false, code: error.code, message: error.message };
    throw error;
  }
}
