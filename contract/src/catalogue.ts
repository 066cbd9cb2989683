import { endpoint } from './endpoint.ts';
import { soundPageSchema } from './record.ts';
import { listQuerySchema } from './selection.ts';

export const catalogueEndpoints = {
  listCatalogue: endpoint('GET', '/catalogue', { needs: 'asker', query: listQuerySchema, response: soundPageSchema }),
};
