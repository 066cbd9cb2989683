import { z } from 'zod';
import { endpoint, idParams } from './endpoint.ts';

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

export const layoutsEndpoints = {
  listLayouts: endpoint('GET', '/layouts', { needs: 'asker', response: z.array(namedLayoutSchema) }),
  saveLayout: endpoint('POST', '/layouts', {
    needs: 'asker',
    body: z.strictObject({ name: z.string().trim().min(1).max(60), layout: columnLayoutSchema }),
    response: z.array(namedLayoutSchema),
  }),
  removeLayout: endpoint('DELETE', '/layouts/:id', {
    needs: 'asker',
    params: idParams,
    response: z.array(namedLayoutSchema),
  }),
};
