import { AppError } from '@flagstone/core/errors';
import { eq } from 'drizzle-orm';
import type { Request, RequestHandler } from 'express';
import type { AppContext } from '../app-context.ts';
import { people } from '../db/schema.ts';

/** The header by which a request names who acts, until there is a sign-in. A plain form cannot send it, so no other site can act. */
export const PERSON_HEADER = 'x-flagstone-person';
/** What the browser sends where no header can be set: players, pictures, live events, forms that are kept. Never sent from other sites (SameSite=Strict). */
const PERSON_COOKIE = /(?:^|;\s*)flagstone-person=(\d{1,10})(?:;|$)/;

/** People stay, once they are known. */
const known = new WeakMap<AppContext['db'], Set<number>>();

/** Who a request names by its header. Throws PERSON_REQUIRED. */
export function personOf(app: AppContext, request: Request): Promise<number> {
  return knownPerson(app, request.get(PERSON_HEADER));
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

/** Refuses requests that do not say who asks, but for the list of people to choose from. Throws PERSON_REQUIRED. */
export function requirePerson(app: AppContext): RequestHandler {
  return async (request, _response, next) => {
    const isList = request.method === 'GET' && request.path === '/people';
    if (!isList)
      await knownPerson(app, request.get(PERSON_HEADER) ?? PERSON_COOKIE.exec(request.get('cookie') ?? '')?.[1]);
    next();
  };
}
