import { AppError } from '@flagstone/core/errors';
import { api } from '@flagstone/contract/api';
import type { Endpoint } from '@flagstone/contract/endpoint';
import { Router } from 'express';
import type { AppContext } from '../app-context.ts';
import { personOf } from './acting-person.ts';
import { handlers, type Call } from './api-handlers.ts';

type AnyHandler = (app: AppContext, call: Call<unknown, unknown, unknown>) => Promise<unknown>;

/** Every endpoint of the contract as a route: what comes in is parsed by its schemas, what goes out is what the handler returns. */
export function apiRoutes(app: AppContext): Router {
  const router = Router();
  for (const [name, endpoint] of Object.entries(api) as [keyof typeof api, Endpoint][]) {
    const handle = handlers[name] as AnyHandler;
    const method = endpoint.method.toLowerCase() as 'get' | 'post' | 'patch' | 'delete';
    router[method](endpoint.path, async (request, response) => {
      const person = memoised(() => personOf(app, request));
      // Whatever changes something names its person by the header, whether its handler asks or not.
      if (endpoint.method !== 'GET') await person();
      const waiting = new AbortController();
      response.once('close', () => {
        if (!response.writableFinished) waiting.abort();
      });
      const call = {
        params: endpoint.params.parse(request.params),
        query: endpoint.query.parse(request.query),
        body: endpoint.body.parse(request.body ?? {}),
        person,
        signal: waiting.signal,
      };
      const answer = await handle(app, call).catch((error: unknown) => {
        // Whoever asked has gone, and what was read for it was told to stop.
        if (error !== waiting.signal.reason) throw error;
      });
      if (!waiting.signal.aborted) response.json(answer);
    });
  }
  router.use((request) => {
    throw new AppError('NOT_FOUND', `There is no address ${request.method} ${request.originalUrl}.`);
  });
  return router;
}

function memoised<Value>(make: () => Promise<Value>): () => Promise<Value> {
  let made: Promise<Value> | undefined;
  return () => (made ??= make());
}
