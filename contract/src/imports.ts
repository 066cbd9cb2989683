import { FIELD_NAMES } from '@flagstone/core/record/fields';
import { z } from 'zod';
import { as, rawEndpoint } from './endpoint.ts';
import { TABLE_FORMATS } from './exports.ts';

/** How a table is brought back; the table itself is the body. Numbers and booleans arrive as text. */
export const importQuerySchema = z.object({
  format: z.enum(TABLE_FORMATS),
  /** Otherwise the differences are only told. */
  apply: z.enum(['yes', 'no']).default('no'),
  /** What an empty cell means: that the field is left alone, or emptied. */
  empty: z.enum(['keep', 'clear']).default('keep'),
});
export type ImportQuery = z.infer<typeof importQuerySchema>;

/** What bringing a table back changes, or changed. */
export const importResultSchema = z.object({
  /** Rows below the heading. */
  rows: z.number(),
  changed: z.number(),
  unchanged: z.number(),
  /** Rows that cannot be brought back; the others can. */
  problems: z.number(),
  /** Fields that the table has a column for, and headings that nothing is known by. */
  fields: z.array(z.enum(FIELD_NAMES)),
  unknown: z.array(z.string()),
  applied: z.boolean(),
  /** The first rows that change something or cannot. */
  examples: z.array(
    z.object({
      line: z.number(),
      name: z.string(),
      changes: z.array(z.object({ field: z.enum(FIELD_NAMES), before: z.string(), after: z.string() })),
      problem: z.string().nullable(),
    }),
  ),
});
export type ImportResult = z.infer<typeof importResultSchema>;

export const importsRawEndpoints = {
  /** Brings a table back, which is the body; answers with what differs from the records, or what was changed. */
  importTable: rawEndpoint('POST', '/import', {
    needs: as('librarian', 'anything'),
    audit: 'brings a table back',
    query: importQuerySchema,
    body: { as: 'bytes', most: '64mb' },
  }),
};
