import { z } from 'zod';

/** The columns of the table of sounds in their order, each with its width in pixels, and how high its rows are. */
export const columnLayoutSchema = z.object({
  columns: z
    .array(z.object({ key: z.string().max(40), width: z.number().int().min(30).max(1200) }))
    .min(1)
    .max(60),
  density: z.enum(['dense', 'roomy']),
});
export type ColumnLayout = z.infer<typeof columnLayoutSchema>;

export const namedLayoutSchema = z.object({ id: z.number(), name: z.string(), layout: columnLayoutSchema });
export type NamedLayout = z.infer<typeof namedLayoutSchema>;
