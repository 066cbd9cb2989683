import { rawApi } from '@flagstone/contract/api';
import type { RawBody, RawEndpoint } from '@flagstone/contract/endpoint';
import express, { Router, type RequestHandler } from 'express';
import type { AppContext } from '../app-context.ts';
import { BigAnswers } from './big-answers.ts';
import { audited } from './audited.ts';
import { askerOf, asksAs, callerOf, sightFor } from './who-asks.ts';
import { rawHandlers } from './raw-handlers.ts';

type AnyRawHandler = (app: AppContext, call: object) => Promise<void> | void;

/** Every raw endpoint of the contract as a route: who asks and what comes in are looked at here, the handler writes the answer. */
export function rawRoutes(app: AppContext, handlerOf: Record<keyof typeof rawApi, unknown> = rawHandlers): Router {
  const router = Router();
  const big = new BigAnswers();
  for (const [name, endpoint] of Object.entries(rawApi) as [keyof typeof rawApi, RawEndpoint][]) {
    const handle = handlerOf[name] as AnyRawHandler;
    const method = endpoint.method.toLowerCase() as 'get' | 'post' | 'patch' | 'delete';
    router[method](
      endpoint.path,
      asksAs(app, endpoint.needs, endpoint.body?.as === 'form'),
      ...readerOf(endpoint.body),
      async (request, response) => {
        const { body } = endpoint;
        const call = {
          params: endpoint.params.parse(request.params),
          query: endpoint.query.parse(request.query),
          body: body && 'schema' in body ? body.schema.parse(request.body) : undefined,
          person: askerOf(response).personId,
          asker: askerOf(response),
          sight: sightFor(endpoint.needs, askerOf(response)),
          caller: callerOf(request),
          request,
          response,
          big,
        };
        await audited(app, endpoint, call, async () => handle(app, call));
      },
    );
  }
  return router;
}

function readerOf(body: RawBody<unknown> | undefined): RequestHandler[] {
  switch (body?.as) {
    case 'json':
      return [express.json({ limit: body.most })];
    case 'form':
      return [express.urlencoded({ limit: body.most, extended: false })];
    case 'bytes':
      return [express.raw({ limit: body.most, type: () => true })];
    default:
      return [];
  }
}
