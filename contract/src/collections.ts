import { FIELD_NAMES } from '@flagstone/core/record/fields';
import { LETTER_CASES } from '@flagstone/core/text/letter-case';
import { BLOCK_NAMES } from '@flagstone/core/naming/name-blocks';
import type { FreeBlock } from '@flagstone/core/naming/naming-pattern';
import { z } from 'zod';
import { as, endpoint, idParams } from './endpoint.ts';
import { roleSchema } from './roles.ts';

const blockRuleSchema = z.strictObject({
  field: z.enum(FIELD_NAMES),
  letterCase: z.enum(LETTER_CASES),
  spaces: z.enum(['kept', 'removed']),
});
const freeBlocks = BLOCK_NAMES.filter((name): name is FreeBlock => name !== 'catId');

/** What names end in before the extension: see core's NameEnding. */
const ending = z.strictObject({ channel: z.boolean(), mono: z.string().max(20) }).optional();

/** How names are made: see core's NamingPattern. */
export const namingPatternSchema = z.discriminatedUnion('kind', [
  z.strictObject({ kind: z.literal('ucs'), blocks: z.partialRecord(z.enum(freeBlocks), blockRuleSchema), ending }),
  z.strictObject({ kind: z.literal('free'), template: z.string().trim().min(1).max(500), ending }),
]);

/** A named part of the catalogue with folders, people and a naming pattern of its own. */
export const collectionSchema = z.object({
  id: z.number(),
  name: z.string(),
  /** Null for the standard as it is. */
  pattern: namingPatternSchema.nullable(),
  /** What its assistants change waits until a librarian accepts it. */
  asksReview: z.boolean(),
  /** Who works on it, in which role; beside them, all administrators. */
  people: z.array(z.object({ personId: z.number(), role: roleSchema })),
  /** Where files that are handed over land, and where files are laid out: absolute paths; null until somebody chose them. */
  landingPath: z.string().nullable(),
  shelfPath: z.string().nullable(),
  /** The template of fields by which folders are laid there. */
  shelfTemplate: z.string(),
  folders: z.number(),
  /** Files that are there, on drives that are here or away. */
  files: z.number(),
  retired: z.boolean(),
});
export type Collection = z.infer<typeof collectionSchema>;

const name = z.string().trim().min(1).max(100);
export const newCollectionSchema = z.strictObject({ name });
const path = z.string().trim().min(1).max(4096).nullable().optional();
/** Where what is handed over lands, and where files are laid out, and how; null takes a place away. */
export interface CollectionPlaces {
  landingPath: string | null | undefined;
  shelfPath: string | null | undefined;
  shelfTemplate: string | undefined;
}
export const collectionChangeSchema = z.strictObject({
  landingPath: path,
  shelfPath: path,
  shelfTemplate: z.string().trim().min(1).max(500).optional(),
  name: name.optional(),
  pattern: namingPatternSchema.nullable().optional(),
  asksReview: z.boolean().optional(),
  retired: z.boolean().optional(),
});
export type CollectionChange = z.infer<typeof collectionChangeSchema>;

export const collectionsEndpoints = {
  listCollections: endpoint('GET', '/collections', { needs: 'asker', response: z.array(collectionSchema) }),
  makeCollection: endpoint('POST', '/collections', {
    needs: 'administrator',
    audit: 'makes a collection',
    body: newCollectionSchema,
    response: z.array(collectionSchema),
  }),
  updateCollection: endpoint('PATCH', '/collections/:id', {
    needs: as('librarian', 'collection'),
    audit: 'changes a collection',
    params: idParams,
    body: collectionChangeSchema,
    response: z.array(collectionSchema),
  }),
  /** Puts its folders into another collection and removes it; who had a role in it has it in the other one too, unless they have another one there. */
  mergeCollection: endpoint('POST', '/collections/:id/merge', {
    needs: 'administrator',
    audit: 'merges a collection',
    params: idParams,
    body: z.strictObject({ intoId: z.number().int().positive() }),
    response: z.array(collectionSchema),
  }),
  /** What suggestions have learned from decisions in a collection. */
  listLearned: endpoint('GET', '/collections/:id/learned', {
    needs: as('assistant', 'collection'),
    params: idParams,
    response: z.object({
      total: z.number(),
      entries: z.array(z.object({ word: z.string(), catId: z.string(), times: z.number() })),
    }),
  }),
  forgetLearned: endpoint('POST', '/collections/:id/forget', {
    needs: as('librarian', 'collection'),
    audit: 'forgets what was learned',
    params: idParams,
    body: z.strictObject({ word: z.string().max(5000).optional() }),
    response: z.object({}),
  }),
};
