import { AppError } from '@flagstone/core/errors';
import type { Needs } from '@flagstone/contract/endpoint';
import { eq } from 'drizzle-orm';
import type { Request, RequestHandler, Response } from 'express';
import type { AppContext } from '../app-context.ts';
import { people } from '../db/schema.ts';

/** The header by which a request names who acts, until there is a sign-in. A plain form cannot send it, so no other site can act. */
export const PERSON_HEADER = 'x-flagstone-person';
/** What the browser sends where no header can be set: players, pictures, live events, forms that are kept. Never sent from other sites (SameSite=Strict). */
const PERSON_COOKIE = /(?:^|;\s*)flagstone-person=(\d{1,10})(?:;|$)/;

/** People stay, once they are known. */
const known = new WeakMap<AppContext['db'], Set<number>>();

/** Finds out who asks, as far as an endpoint needs to know, before anything else of a request is read. Throws PERSON_REQUIRED. */
export function namesPerson(app: AppContext, needs: Needs): RequestHandler {
  return async (request, response, next) => {
    response.locals['person'] = await personFor(app, request, needs);
    next();
  };
}

/** Who asks, once that was found out; 0 where nobody has to be named. */
export function personOf(response: Response): number {
  return response.locals['person'] as number;
}

async function personFor(app: AppContext, request: Request, needs: Needs): Promise<number> {
  if (needs === 'nobody') return 0;
  const byHeader = request.get(PERSON_HEADER);
  const byCookie = needs === 'asker' ? PERSON_COOKIE.exec(request.get('cookie') ?? '')?.[1] : undefined;
  return knownPerson(app, byHeader ?? byCookie);
}

async function knownPerson(app: AppContext, given: string | undefined): Promise<number> {
  const id = Number(given);
  const ids = known.get(app.db) ?? new Set<number>();
  known.set(app.db, ids);
  if (ids.has(id)) return id;
  const [person] =
    Number.isInteger(id) && id > 0 && id < 2 ** 31 ? await app.db.select().from(people).where(eq(people.id, id)) : [];
  if (!person) throw new AppError('PERSON_REQUIRED', 'The request does not say who acts.');
  ids.add(person.id);
  return person.id;
}
