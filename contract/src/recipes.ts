import { FIELD_NAMES } from '@flagstone/core/record/fields';
import { LETTER_CASES } from '@flagstone/core/text/letter-case';
import { BESIDE_FIELDS, PUT_HOW, TIDYINGS } from '@flagstone/core/recipes/recipe';
import { z } from 'zod';
import { changeSchema } from './changes.ts';
import { as, endpoint, idParams } from './endpoint.ts';
import { selectionSchema } from './selection.ts';

const field = z.enum(FIELD_NAMES);
const fields = z.array(field).max(FIELD_NAMES.length);
const text = z.string().max(1000);
const between = z.string().max(20).default('');

/** One step of a recipe; core's RecipeStep says what each does. */
export const recipeStepSchema = z.discriminatedUnion('do', [
  z.strictObject({
    do: z.literal('replace'),
    fields,
    find: text,
    by: text,
    how: z.enum(['plain', 'word', 'pattern']),
    matchCase: z.boolean(),
  }),
  z.strictObject({ do: z.literal('case'), fields, to: z.enum(LETTER_CASES), keptWhole: z.array(text).max(500) }),
  z.strictObject({ do: z.literal('tidy'), fields, how: z.enum(TIDYINGS) }),
  z.strictObject({
    do: z.literal('put'),
    to: field,
    from: z.enum([...FIELD_NAMES, ...BESIDE_FIELDS]),
    level: z.number().int().min(1).max(50),
    place: z.string().max(200).optional(),
    how: z.enum(PUT_HOW),
    between,
  }),
  z.strictObject({ do: z.literal('set'), to: field, value: text, how: z.enum(PUT_HOW), between }),
  z.strictObject({
    do: z.literal('number'),
    to: field,
    start: z.number().int().min(0).max(1_000_000),
    digits: z.number().int().min(1).max(9),
    between,
  }),
  z.strictObject({ do: z.literal('nameToKeywords') }),
  z.strictObject({ do: z.literal('keyword'), find: text, by: text }),
  z.strictObject({ do: z.literal('readName'), how: z.enum(['replace', 'ifEmpty']) }),
  z.strictObject({ do: z.literal('lookUp'), field }),
  z.strictObject({ do: z.literal('spell'), fields }),
]);

const steps = z.array(recipeStepSchema).min(1).max(50);

export const recipeSchema = z.object({
  id: z.number(),
  name: z.string(),
  steps: z.array(recipeStepSchema),
  person: z.string(),
  /** Made by the person who asks, who alone may change it. */
  own: z.boolean(),
  shared: z.boolean(),
});
export type Recipe = z.infer<typeof recipeSchema>;

export const newRecipeSchema = z.strictObject({ name: z.string().trim().min(1).max(100), steps, shared: z.boolean() });

export const recipeRunSchema = z.strictObject({ selection: selectionSchema, steps });
export type RecipeRun = z.infer<typeof recipeRunSchema>;

/** Where a preview goes on. */
const placeSchema = z.object({ afterCopyId: z.number().int().min(0), index: z.number().int().min(0) });
export const recipePreviewQuerySchema = recipeRunSchema.extend({ from: placeSchema.optional() });

/** A row that a recipe changes, or that it cannot. */
export const recipeRowSchema = z.object({
  copyId: z.number(),
  name: z.string(),
  changes: z.array(z.object({ field, before: z.string(), after: z.string() })),
  /** What should be known of the row, whether it changes or not. */
  notes: z.array(z.string()),
  problem: z.string().nullable(),
});
export const recipePreviewSchema = z.object({ rows: z.array(recipeRowSchema), next: placeSchema.nullable() });
export type RecipePreview = z.infer<typeof recipePreviewSchema>;

export const recipeCountSchema = z.object({
  rows: z.number(),
  changed: z.number(),
  problems: z.number(),
  notes: z.number(),
});
export type RecipeCount = z.infer<typeof recipeCountSchema>;

/** A place of files that says something, in how many of those that were looked at, and what one of them says. */
export const filePlaceSchema = z.object({ place: z.string(), files: z.number(), example: z.string() });
export type FilePlace = z.infer<typeof filePlaceSchema>;

export const recipesEndpoints = {
  listRecipes: endpoint('GET', '/recipes', { needs: as('assistant', 'anything'), response: z.array(recipeSchema) }),
  saveRecipe: endpoint('POST', '/recipes', {
    needs: as('assistant', 'anything'),
    body: newRecipeSchema,
    response: z.array(recipeSchema),
  }),
  removeRecipe: endpoint('DELETE', '/recipes/:id', {
    needs: as('assistant', 'anything'),
    params: idParams,
    response: z.array(recipeSchema),
  }),
  /** The next rows that the steps change, with their values before and after; nothing is changed. */
  previewRecipe: endpoint('POST', '/recipes/preview', {
    needs: as('assistant', 'selection'),
    body: recipePreviewQuerySchema,
    response: recipePreviewSchema,
  }),
  countRecipe: endpoint('POST', '/recipes/count', {
    needs: as('assistant', 'selection'),
    body: recipeRunSchema,
    response: recipeCountSchema,
  }),
  /** What the files of a selection say, by field and by the places that no field takes, the most frequent first. */
  listFilePlaces: endpoint('POST', '/recipes/file-places', {
    needs: as('assistant', 'selection'),
    body: z.strictObject({ selection: selectionSchema }),
    response: z.array(filePlaceSchema),
  }),
  runRecipe: endpoint('POST', '/recipes/run', {
    needs: as('assistant', 'selection'),
    body: recipeRunSchema.extend({ name: z.string().max(100).optional() }),
    response: changeSchema,
  }),
};
