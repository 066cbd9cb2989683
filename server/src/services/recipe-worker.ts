import { AppError, type ErrorCode } from '@flagstone/core/errors';
import type { SoundRecord } from '@flagstone/core/record/fields';
import { prepareRecipe, type RecipeRow, type RecipeStep } from '@flagstone/core/text/recipe';
import { builtInCategoryList } from '@flagstone/core/ucs/category-list';

export interface RecipeTask {
  steps: readonly RecipeStep[];
  rows: readonly RecipeRow[];
}
/** The changed fields of each row, or why the recipe cannot run; plain data, since it travels between threads. */
export type RecipeResult =
  { ok: true; changes: Partial<SoundRecord>[] } | { ok: false; code: ErrorCode; message: string };

const categories = builtInCategoryList();

/** Runs a recipe on rows, in a worker thread: a pattern that takes for ever is ended with its thread. */
export default function runRecipe({ steps, rows }: RecipeTask): RecipeResult {
  try {
    return { ok: true, changes: rows.map(prepareRecipe(steps, categories)) };
  } catch (error) {
    if (error instanceof AppError) return { ok: false, code: error.code, message: error.message };
    throw error;
  }
}
