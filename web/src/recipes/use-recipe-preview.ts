import type { RecipeCount, RecipePreview, RecipeRun } from '@flagstone/contract/recipes';
import type { Ref } from 'vue';
import type { Server } from '../ui/server.ts';
import { usePreview } from '../ui/use-preview.ts';

type Row = RecipePreview['rows'][number];
type From = NonNullable<RecipePreview['next']>;

/** What a recipe would change: `run` is the recipe with what it would run on; undefined while there is nothing to be tried. */
export function useRecipePreview(run: Ref<RecipeRun | undefined>, server: Server) {
  return usePreview<RecipeRun, Row, From, RecipeCount>(
    run,
    {
      page: (body, from, signal) => server.call('previewRecipe', { body: from ? { ...body, from } : body, signal }),
      count: (body, signal) => server.call('countRecipe', { body, signal }),
    },
    server,
  );
}
