import { as, endpoint } from './endpoint.ts';
import { soundPageSchema } from './record.ts';
import { listQuerySchema } from './selection.ts';

export const catalogueEndpoints = {
  listCatalogue: endpoint('GET', '/catalogue', {
    needs: as('listener', 'anything'),
    query: listQuerySchema,
    response: soundPageSchema,
  }),
};
