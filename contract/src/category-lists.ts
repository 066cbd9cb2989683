import { z } from 'zod';
import { changeSchema } from './changes.ts';
import { as, endpoint } from './endpoint.ts';
import { planSchema } from './plans.ts';

export const categorySchema = z.object({
  category: z.string(),
  subCategory: z.string(),
  catId: z.string(),
  catShort: z.string(),
  meaning: z.string(),
  words: z.array(z.string()),
});

/** A release of the category list that is kept; number 0 is the built-in one. */
export const categoryListSchema = z.object({
  id: z.number(),
  source: z.string(),
  categories: z.number(),
  /** Who brought it in; null for the built-in one. */
  person: z.string().nullable(),
  createdAt: z.string().nullable(),
  inForce: z.boolean(),
});
export type KeptCategoryList = z.infer<typeof categoryListSchema>;

/** Most characters of a file in base64: some three megabytes, ten times what a list needs. */
const MOST_CONTENT = 3_900_000;

/** A list that is kept, or a file (CSV, TSV or XLSX, in base64). */
export const wantedListSchema = z.union([
  z.strictObject({ id: z.number().int().min(0) }),
  z.strictObject({
    fileName: z.string().min(1).max(255),
    content: z
      .base64()
      .max(MOST_CONTENT, 'The file has more than three megabytes; a category list has a few hundred kilobytes.'),
  }),
]);
export type WantedList = z.infer<typeof wantedListSchema>;

/** What a list would change, with how many records have each CatID that goes or becomes another. */
export const listComparisonSchema = z.object({
  source: z.string(),
  categories: z.array(categorySchema),
  added: z.array(categorySchema),
  renamed: z.array(z.object({ from: categorySchema, to: categorySchema, records: z.number() })),
  removed: z.array(z.object({ from: categorySchema, likely: z.string().nullable(), records: z.number() })),
  reworded: z.number(),
});
export type ListComparison = z.infer<typeof listComparisonSchema>;

export const adoptListSchema = z.strictObject({
  list: wantedListSchema,
  /** What it is called from now on. */
  source: z.string().trim().min(1).max(200),
  /** The new CatID for each CatID that goes; records of those that are left out keep theirs, and are told as unknown. */
  moves: z.record(z.string().max(50), z.string().max(50)),
});
export type AdoptList = z.infer<typeof adoptListSchema>;

/** A CatID of records that is not on the list in force, with what may stand for it, and how that is known. */
export const unknownCategorySchema = z.object({
  catId: z.string(),
  records: z.number(),
  likely: z.string().nullable(),
  how: z.enum(['renamed', 'likely', 'spelt']).nullable(),
});
export type UnknownCategory = z.infer<typeof unknownCategorySchema>;

/** What is behind the list in force: records, and files of records that are on it. */
export const behindListSchema = z.object({
  /** Those of most records first, and how many CatIDs there are beside these. */
  unknown: z.array(unknownCategorySchema),
  more: z.number(),
  /** Files that say a category otherwise than the list has it. */
  writes: z.number(),
  /** Files whose name begins with a CatID of a list of before. */
  renames: z.number(),
});
export type BehindList = z.infer<typeof behindListSchema>;

export const categoryListsEndpoints = {
  listCategories: endpoint('GET', '/categories', {
    needs: 'asker',
    response: z.object({ source: z.string(), categories: z.array(categorySchema) }),
  }),
  /** How many records have each CatID, those that are not filed too. */
  countCategoryUses: endpoint('GET', '/categories/uses', {
    needs: as('listener', 'anything'),
    response: z.array(z.object({ catId: z.string(), records: z.number() })),
  }),
  listCategoryLists: endpoint('GET', '/category-lists', {
    needs: as('listener', 'anything'),
    response: z.array(categoryListSchema),
  }),
  /** What taking another list would change; nothing is changed. */
  compareCategoryList: endpoint('POST', '/category-lists/compare', {
    needs: 'administrator',
    body: z.strictObject({ list: wantedListSchema }),
    response: listComparisonSchema,
  }),
  /** Takes another list and moves the records over, as one change. */
  adoptCategoryList: endpoint('POST', '/category-lists/adopt', {
    needs: 'administrator',
    audit: 'adopts a category list',
    body: adoptListSchema,
    response: changeSchema,
  }),
  getBehindList: endpoint('GET', '/category-lists/behind', {
    needs: as('librarian', 'anything'),
    response: behindListSchema,
  }),
  /** Moves the records of CatIDs that are not on the list in force to others, as one change. */
  moveCategories: endpoint('POST', '/category-lists/moves', {
    needs: 'administrator',
    audit: 'moves records to other categories',
    body: z.strictObject({ moves: z.record(z.string().max(200), z.string().max(50)) }),
    response: changeSchema,
  }),
  /** Previews writing and renaming the files that are behind the list in force. */
  planAfterList: endpoint('POST', '/category-lists/plan', {
    needs: as('librarian', 'anything'),
    response: planSchema,
  }),
};
