import { AppError } from '@flagstone/core/errors';
import type { LiveEvent } from '@flagstone/contract/jobs';
import { createSession } from 'better-sse';
import type { Request, Response } from 'express';
import pLimit from 'p-limit';
import type { AppContext } from '../app-context.ts';
import type { Asker } from '../people/asker.ts';
import { keyOf, sightOf } from '../rights/rights.ts';
import { eventSeen } from './event-seen.ts';
import { askerNow } from './who-asks.ts';

/** Sessions that ended by the clock are noticed after this, those that somebody ended at once. */
const LOOK_AT_SESSION_MS = 60_000;

/**
 * Tells of live events as they happen, of what whoever asks may see, until they leave, their session ends or they see other collections. Throws UNAVAILABLE without the
 * database: nothing would ever be told then, and whoever listens has to know that.
 */
export async function followEvents(
  app: AppContext,
  request: Request,
  response: Response,
  asker: Asker,
  page?: string,
): Promise<void> {
  if (!app.live.isConnected) throw new AppError('UNAVAILABLE', 'Flagstone has no connection to its database.');
  const sight = sightOf(asker.rights);
  const leave = page === undefined ? undefined : await app.presences.enter(page, asker.personId);
  // Closed while it was made known: nothing would ever tell of that any more.
  if (response.destroyed) return leave?.();
  // One after the other: nothing is told before it is known whether it may be.
  const oneByOne = pLimit(1);
  const opening = oneByOne(() => createSession(request, response));
  const endUnlessAsked = async (): Promise<void> => {
    const now = await askerNow(app, request);
    // Who sees other collections than before listens anew: browsers do so by themselves.
    if (!now || keyOf(sightOf(now.rights)) !== keyOf(sight)) response.end();
  };
  const tell = async (event: LiveEvent): Promise<void> => {
    const seen = await eventSeen(app.db, event, asker.personId, sight);
    const session = await opening;
    if (seen && session.isConnected) session.push(seen, 'live');
    if (event.type === 'people' || event.type === 'missed') await endUnlessAsked();
  };
  const next = (work: () => Promise<void>): void => {
    const done = oneByOne(() => (response.destroyed ? undefined : work()));
    done.catch((error: unknown) => {
      app.log.warn({ err: error }, 'what may be told of an event cannot be found out');
      response.end();
    });
  };
  const looking = setInterval(() => next(endUnlessAsked), LOOK_AT_SESSION_MS);
  const stop = [
    // Before the answer begins: a page that reads that it did asks for what is there, and has to hear of everything after that.
    app.live.subscribe((event) => next(() => tell(event))),
    app.live.onLost(() => void response.end()),
    () => clearInterval(looking),
    () => {
      leave?.().catch((error: unknown) => app.log.warn({ err: error }, 'that a page was closed cannot be told'));
    },
  ];
  response.once('close', () => stop.forEach((each) => each()));
  await opening;
  // The session may have ended after it was looked at and before anybody listened for that.
  next(endUnlessAsked);
}
