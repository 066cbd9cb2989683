import { idParams } from '@flagstone/contract/endpoint';
import { createSession } from 'better-sse';
import { MOST_BUCKETS } from '@flagstone/core/audio/peaks';
import { sql } from 'drizzle-orm';
import { Router } from 'express';
import { z } from 'zod';
import type { AppContext } from '../app-context.ts';
import { copies } from '../db/schema.ts';
import { copyThatIsHere, peaksOf } from '../services/analyses.ts';

/** The part of a sound that is to be drawn, in frames, and in how many buckets. */
const peaksQuery = z.object({
  from: z.coerce.number().int().min(0).default(0),
  to: z.coerce.number().int().min(1).optional(),
  buckets: z.coerce.number().int().min(1).max(MOST_BUCKETS).default(MOST_BUCKETS),
});

/** What is no JSON: audio by HTTP ranges, peaks as bytes, live events. */
export function mediaRoutes(app: AppContext): Router {
  const router = Router();

  router.get('/copies/:id/audio', async (request, response) => {
    const { id } = idParams.parse(request.params);
    const { path } = await copyThatIsHere(app, sql`${copies.id} = ${id}`);
    await new Promise<void>((resolve, reject) => {
      response.sendFile(path, { dotfiles: 'allow', cacheControl: false }, (error?: NodeJS.ErrnoException) => {
        // A player that stops loading closes the connection; that is no fault.
        if (error && error.code !== 'ECONNABORTED' && error.code !== 'EPIPE') reject(error);
        else resolve();
      });
    });
  });

  router.get('/sounds/:id/peaks', async (request, response) => {
    const { id } = idParams.parse(request.params);
    const range = peaksQuery.parse(request.query);
    const { channels, buckets, values } = await peaksOf(app, id, range);
    response
      .set({ 'Content-Type': 'application/octet-stream', 'Cache-Control': 'private, max-age=86400' })
      .set({ 'X-Peaks-Channels': String(channels), 'X-Peaks-Buckets': String(buckets) })
      .send(Buffer.from(values.buffer, values.byteOffset, values.byteLength));
  });

  router.get('/events', async (request, response) => {
    const session = await createSession(request, response);
    const unsubscribe = app.live.subscribe((event) => session.push(event, 'live'));
    session.once('disconnected', unsubscribe);
  });

  return router;
}
