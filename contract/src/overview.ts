import { z } from 'zod';
import { endpoint, rawEndpoint } from './endpoint.ts';

export const overviewEndpoints = {
  getOverview: endpoint('GET', '/overview', {
    needs: 'asker',
    response: z.object({
      version: z.string(),
      roots: z.array(z.string()),
      categorySource: z.string(),
      counts: z.object({
        sounds: z.number(),
        filed: z.number(),
        copies: z.number(),
        behind: z.number(),
        unreadable: z.number(),
        openBatches: z.number(),
      }),
    }),
  }),
};

export const overviewRawEndpoints = {
  /** Whether the server has its database; for whoever watches over it. */
  getHealth: rawEndpoint('GET', '/health', { needs: 'nobody' }),
  /** All of this as an OpenAPI document, for programs. */
  getOpenApi: rawEndpoint('GET', '/openapi.json', { needs: 'asker' }),
};
