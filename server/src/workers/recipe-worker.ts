import os from 'node:os';
import { AppError, type ErrorCode } from '@flagstone/core/errors';
import type { ListedNames } from '@flagstone/core/recipes/listed-names';
import { prepareRecipe, type RecipeOutcome, type RecipeRow, type RecipeStep } from '@flagstone/core/recipes/recipe';
import { Spelling } from '@flagstone/core/words/spelling';
import { builtInCategoryList, CategoryList, type Category } from '@flagstone/core/ucs/category-list';
import { englishWords } from '../disk/word-net.ts';

export interface RecipeTask {
  steps: readonly RecipeStep[];
  rows: readonly RecipeRow[];
  /** The category list where another than the built-in one is in force. */
  list?: { source: string; categories: Category[] };
  /** Left out where no step looks anything up in the lists of names. */
  names?: ListedNames;
}
/** What becomes of each row, or why the recipe cannot run; plain data, since it travels between threads. */
export type RecipeResult = { ok: true; outcomes: RecipeOutcome[] } | { ok: false; code: ErrorCode; message: string };

// On Linux this is the priority of this thread alone: a count of a hundred thousand rows must not slow the answers to those who click.
os.setPriority(os.constants.priority.PRIORITY_BELOW_NORMAL);

let spelling: { source: string; hints: Spelling } | undefined;

/** Runs a recipe on rows, in a worker thread: a pattern that takes for ever is ended with its thread. */
export default function runRecipe({ steps, rows, list, names }: RecipeTask): RecipeResult {
  try {
    const categories = list ? new CategoryList(list.source, list.categories) : builtInCategoryList();
    const spells = steps.some((step) => step.do === 'spell');
    if (spells && spelling?.source !== categories.source)
      spelling = { source: categories.source, hints: new Spelling(categories, englishWords()) };
    const sources = { categories, ...(names ? { names } : {}), ...(spelling ? { spelling: spelling.hints } : {}) };
    return { ok: true, outcomes: rows.map(prepareRecipe(steps, sources)) };
  } catch (error) {
    if (error instanceof AppError) return { ok: false, code: error.code, message: error.message };
    throw error;
  }
}
