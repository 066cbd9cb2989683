import { afterEach, describe, expect, it } from '@jest/globals';
import type { RecipePreview, RecipeRun } from '@flagstone/contract/recipes';
import { effectScope, shallowRef, type EffectScope } from 'vue';
import { ApiError } from '../api/client.ts';
import { FakeServer, HeldBack, settled } from '../ui/fake-server.ts';
import { useRecipePreview } from './use-recipe-preview.ts';

const scopes: EffectScope[] = [];
afterEach(() => scopes.splice(0).forEach((scope) => scope.stop()));

const page = (from: number, rows: number, isLast: boolean): RecipePreview =>
  ({
    rows: Array.from({ length: rows }, (_, at) => ({ copyId: from + at })),
    next: isLast ? null : { afterCopyId: from + rows - 1 },
  }) as unknown as RecipePreview;
const runOf = (find: string): RecipeRun =>
  ({ selection: { kind: 'batch', batchId: 1 }, steps: [{ do: 'keyword', find, by: '' }] }) as unknown as RecipeRun;

function opened(answers: ConstructorParameters<typeof FakeServer>[0] = {}) {
  const server = new FakeServer({
    previewRecipe: ({ body }) => ('from' in (body as object) ? page(51, 10, true) : page(1, 50, false)),
    countRecipe: () => ({ rows: 60 }),
    ...answers,
  });
  const run = shallowRef<RecipeRun | undefined>(runOf('kiln'));
  const scope = effectScope();
  scopes.push(scope);
  return { server, run, view: scope.run(() => useRecipePreview(run, server))! };
}

describe('what a recipe would change', () => {
  it('is shown from its first rows, then counted in all', async () => {
    const { view } = opened();
    await view.preview();
    expect([view.rows.value.length, view.counts.value, view.fault.value]).toEqual([50, { rows: 60 }, '']);
  });

  it('is nothing while there is nothing to be tried', async () => {
    const { view, run, server } = opened();
    await view.preview();
    run.value = undefined;
    await view.preview();
    expect([view.rows.value, view.next.value, view.counts.value]).toEqual([[], null, undefined]);
    expect(server.times('previewRecipe')).toBe(1);
  });

  it('is loaded further near its end, once at a time, and not beyond it', async () => {
    const { view, server } = opened();
    await view.preview();
    await view.needUpTo(20);
    expect(server.times('previewRecipe')).toBe(1);
    await Promise.all([view.needUpTo(21), view.needUpTo(22)]);
    expect(view.rows.value.map(({ copyId }) => copyId).slice(-2)).toEqual([59, 60]);
    await view.needUpTo(59);
    expect(server.times('previewRecipe')).toBe(2);
  });

  it('says what is at fault with the recipe instead', async () => {
    const fault = {
      code: 'RECIPE_INVALID',
      message: 'The pattern has no end.',
      remedy: 'Close the bracket.',
      details: {},
    };
    const { view } = opened({
      previewRecipe: () => {
        throw new ApiError(400, fault);
      },
    });
    await view.preview();
    expect([view.fault.value, view.rows.value]).toEqual(['The pattern has no end. Close the bracket.', []]);
  });

  it('is that of the recipe that was asked for last, whatever comes late', async () => {
    let asked = 0;
    const held = new HeldBack(() => page((asked += 1) * 100, 5, true));
    const { view, run } = opened({ previewRecipe: held.answer });
    const first = view.preview();
    run.value = runOf('loom');
    const second = view.preview();
    held.release(1);
    await second;
    held.release();
    await first;
    await settled();
    expect(view.rows.value[0]?.copyId).toBe(200);
  });

  it('keeps no page of a recipe that was changed while it was on its way', async () => {
    const held = new HeldBack(() => page(51, 10, true));
    const { view, run } = opened({
      previewRecipe: ({ body }) => ('from' in (body as object) ? held.answer() : page(1, 50, false)),
    });
    await view.preview();
    const more = view.needUpTo(49);
    run.value = runOf('loom');
    await view.preview();
    held.release();
    await more;
    expect(view.rows.value).toHaveLength(50);
    // And the next one is asked for again.
    const again = view.needUpTo(49);
    expect(held.count).toBe(1);
    held.release();
    await again;
    expect(view.rows.value).toHaveLength(60);
  });
});
