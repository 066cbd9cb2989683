import { AppError } from '@flagstone/core/errors';
import type { Needs } from '@flagstone/contract/endpoint';
import type { Request, RequestHandler, Response } from 'express';
import type { AppContext } from '../app-context.ts';
import type { Caller } from '../people/audit-log.ts';
import type { Asker } from '../people/asker.ts';
import type { Site } from '../people/passkeys.ts';
import { sightAs, sightOf, type Sight } from '../rights/rights.ts';
import { sessionIn } from './session-cookie.ts';

/** What a request that changes something carries beside its session: a plain form of another site cannot send it. */
export const REQUEST_HEADER = 'x-flagstone-request';
const BEARER = /^Bearer ([\w-]{1,200})$/i;
const NOBODY: Asker = {
  sessionId: 0,
  personId: 0,
  name: '',
  most: null,
  rights: { isAdministrator: false, roles: new Map() },
};
const READS = ['GET', 'HEAD', 'OPTIONS'];

/**
 * Finds out who asks, as far as an endpoint needs to know, before anything else of a request is read. A form of a page cannot send the header beside the session, and changes
 * nothing. Throws SIGN_IN_REQUIRED, ORIGIN_REFUSED, NOT_ALLOWED.
 */
export function asksAs(app: AppContext, needs: Needs, isForm = false): RequestHandler {
  return async (request, response, next) => {
    response.locals['asker'] = needs === 'nobody' ? NOBODY : await askerFor(app, request, needs, isForm);
    next();
  };
}

/** Who asks, once that was found out; person 0 where nobody has to be signed in. */
export function askerOf(response: Response): Asker {
  return response.locals['asker'] as Asker;
}

/** The collections that an endpoint may work with: those in which whoever asks has the role that it needs. */
export function sightFor(needs: Needs, { rights }: Asker): Sight {
  return typeof needs === 'object' ? sightAs(rights, needs.role) : sightOf(rights);
}

/** Where a request comes from. */
export function callerOf(request: Request): Caller {
  return { address: request.ip ?? '', browser: request.get('user-agent') ?? '' };
}

/** By what name the browser reaches the server. */
export function siteOf(request: Request): Site {
  return { name: request.hostname ?? '', origin: ownOrigin(request) };
}

const ownOrigin = (request: Request): string => `${request.protocol}://${request.host ?? ''}`;

async function askerFor(app: AppContext, request: Request, needs: Needs, isForm: boolean): Promise<Asker> {
  const given = request.get('authorization');
  const changes = !READS.includes(request.method);
  const asker =
    given === undefined
      ? await bySession(app, request, changes, isForm)
      : await app.askers.find('token', tokenIn(given), changes);
  if (!asker) throw new AppError('SIGN_IN_REQUIRED', 'Nobody is signed in here, or no longer.');
  if (needs === 'session' && asker.sessionId === 0) throw new AppError('NOT_ALLOWED', 'No token may do this: sign in.');
  if (needs === 'administrator' && !asker.rights.isAdministrator)
    throw new AppError('NOT_ALLOWED', 'Only an administrator may do this.');
  return asker;
}

function tokenIn(given: string): string {
  const token = BEARER.exec(given)?.[1];
  if (token === undefined) throw new AppError('SIGN_IN_REQUIRED', 'The header Authorization holds no Bearer token.');
  return token;
}

async function bySession(
  app: AppContext,
  request: Request,
  changes: boolean,
  isForm: boolean,
): Promise<Asker | undefined> {
  const secret = sessionIn(request);
  const asker = secret === undefined ? undefined : await app.askers.find('session', secret, changes);
  if (asker && changes && !isForm && request.get(REQUEST_HEADER) === undefined)
    throw new AppError('ORIGIN_REFUSED', `A request that changes something carries the header ${REQUEST_HEADER}.`);
  return asker;
}

/** Who asks, for a request that is still being answered: undefined once its session or token is over. */
export function askerNow(app: AppContext, request: Request): Promise<Asker | undefined> {
  const given = request.get('authorization');
  return given === undefined
    ? app.askers.findAnew('session', sessionIn(request) ?? '')
    : app.askers.findAnew('token', tokenIn(given));
}

/**
 * Refuses what a page of another site has the browser send, whatever it carries: by Sec-Fetch-Site (W3C Fetch Metadata), else by Origin. Programs that are no
 * browser send neither.
 */
export const refuseForeignOrigins: RequestHandler = (request, _response, next) => {
  if (READS.includes(request.method)) return next();
  const site = request.get('sec-fetch-site');
  const origin = request.get('origin');
  const isOwn =
    site === undefined ? origin === undefined || origin === ownOrigin(request) : ['same-origin', 'none'].includes(site);
  if (!isOwn) throw new AppError('ORIGIN_REFUSED', `A page of ${origin ?? 'another site'} asked for this.`);
  next();
};
