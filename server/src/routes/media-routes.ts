import { idParams } from '@flagstone/contract/endpoint';
import { createSession } from 'better-sse';
import { sql } from 'drizzle-orm';
import { Router } from 'express';
import type { AppContext } from '../app-context.ts';
import { copies } from '../db/schema.ts';
import { audioPathOf, peaksOf } from '../services/peaks.ts';

/** What is no JSON: audio by HTTP ranges, peaks as bytes, live events. */
export function mediaRoutes(app: AppContext): Router {
  const router = Router();

  router.get('/copies/:id/audio', async (request, response) => {
    const { id } = idParams.parse(request.params);
    const { path } = await audioPathOf(app, sql`${copies.id} = ${id}`);
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
    const peaks = await peaksOf(app, id);
    response
      .set({ 'Content-Type': 'application/octet-stream', 'Cache-Control': 'private, max-age=86400' })
      .set({
        'X-Peaks-Channels': String(peaks.channels),
        'X-Peaks-Buckets': String(peaks.buckets),
        'X-Peaks-Frames': String(peaks.frames),
      })
      .set({ 'X-Peaks-Highest': String(peaks.highest) })
      .send(peaks.values);
  });

  router.get('/events', async (request, response) => {
    const session = await createSession(request, response);
    const unsubscribe = app.live.subscribe((event) => session.push(event, 'live'));
    session.once('disconnected', unsubscribe);
  });

  return router;
}
