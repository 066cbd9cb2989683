import { AppError } from '@flagstone/core/errors';
import { api } from '@flagstone/contract/api';
import type { Endpoint } from '@flagstone/contract/endpoint';
import express, { Router } from 'express';
import type { AppContext } from '../app-context.ts';
import { handlers } from './api-handlers.ts';
import type { Call } from './call.ts';
import { goneOf } from './gone.ts';
import { clearSession, sessionIn, setSession } from './session-cookie.ts';
import { audited } from './audited.ts';
import { askerOf, asksAs, callerOf, sightFor, siteOf } from './who-asks.ts';

const MOST_JSON = '4mb';

type AnyHandler = (app: AppContext, call: Call<unknown, unknown, unknown>) => Promise<unknown>;

/** Every endpoint of the contract as a route: what comes in is parsed by its schemas, what goes out is what the handler returns. Tests of who may do what give handlers of their own. */
export function apiRoutes(app: AppContext, handlerOf: Record<keyof typeof api, unknown> = handlers): Router {
  const router = Router();
  const readsJson = express.json({ limit: MOST_JSON });
  for (const [name, endpoint] of Object.entries(api) as [keyof typeof api, Endpoint][]) {
    const handle = handlerOf[name] as AnyHandler;
    const method = endpoint.method.toLowerCase() as 'get' | 'post' | 'patch' | 'delete';
    router[method](endpoint.path, asksAs(app, endpoint.needs), readsJson, async (request, response) => {
      const signal = goneOf(response);
      const call = {
        params: endpoint.params.parse(request.params),
        query: endpoint.query.parse(request.query),
        body: endpoint.body.parse(request.body ?? {}),
        person: askerOf(response).personId,
        asker: askerOf(response),
        sight: sightFor(endpoint.needs, askerOf(response)),
        caller: callerOf(request),
        session: {
          secret: sessionIn(request),
          begin: (secret: string) => setSession(response, secret),
          end: () => clearSession(response),
        },
        site: siteOf(request),
        signal,
      };
      const answer = await audited(app, endpoint, call, () => handle(app, call)).catch((error: unknown) => {
        // Whoever asked has gone, and what was read for it was told to stop.
        if (error !== signal.reason) throw error;
      });
      if (!signal.aborted) response.json(answer);
    });
  }
  router.use(asksAs(app, 'asker'), (request) => {
    throw new AppError('NOT_FOUND', `There is no address ${request.method} ${request.originalUrl}.`);
  });
  return router;
}
