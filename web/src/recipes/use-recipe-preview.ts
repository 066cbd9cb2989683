import type { RecipeCount, RecipePreview, RecipeRun } from '@flagstone/contract/recipes';
import { onScopeDispose, ref, shallowRef, type Ref } from 'vue';
import { ApiError } from '../api/client.ts';
import type { Server } from '../ui/server.ts';

/** The next page is asked for when so few rows lie below those in view. */
const ROWS_AHEAD = 30;

/**
 * What a recipe would change, page by page, and how much in all; or what is at fault with it. `run` is the recipe with what it would run on; undefined while there is nothing to be
 * tried. Asking anew gives up what was asked before.
 */
export function useRecipePreview(run: Ref<RecipeRun | undefined>, server: Server) {
  const rows = shallowRef<RecipePreview['rows']>([]);
  const next = ref<RecipePreview['next']>(null);
  const counts = ref<RecipeCount>();
  const fault = ref('');
  let asking = new AbortController();
  let loading = false;

  function show(page: Pick<RecipePreview, 'rows' | 'next'>): void {
    rows.value = page.rows;
    next.value = page.next;
  }

  /** Asks anew, from the first row. */
  async function preview(): Promise<void> {
    asking.abort();
    asking = new AbortController();
    const { signal } = asking;
    loading = false;
    fault.value = '';
    counts.value = undefined;
    const body = run.value;
    if (!body) return show({ rows: [], next: null });
    try {
      const page = await server.call('previewRecipe', { body, signal });
      if (signal.aborted) return;
      show(page);
      const all = await server.call('countRecipe', { body, signal });
      if (!signal.aborted) counts.value = all;
    } catch (error) {
      if (signal.aborted) return;
      if (!(error instanceof ApiError)) throw error;
      show({ rows: [], next: null });
      fault.value = `${error.body.message} ${error.body.remedy}`;
    }
  }

  /** Loads the next page when the view comes near the end of what is there. */
  async function needUpTo(index: number): Promise<void> {
    const [body, from] = [run.value, next.value];
    if (index <= rows.value.length - ROWS_AHEAD || loading || !from || !body) return;
    loading = true;
    const { signal } = asking;
    const page = await server.attempt(() => server.call('previewRecipe', { body: { ...body, from }, signal }));
    if (signal.aborted) return;
    loading = false;
    if (page) show({ rows: [...rows.value, ...page.rows], next: page.next });
  }

  onScopeDispose(() => asking.abort());

  return { rows, next, counts, fault, preview, needUpTo };
}
