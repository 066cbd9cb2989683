import { sql } from 'drizzle-orm';
import { Router } from 'express';
import type { AppContext } from '../app-context.ts';

/** A database that takes longer answers nobody in time. */
const ANSWER_WITHIN_MS = 2000;

/**
 * What a supervisor or balancer asks, by whatever name it reaches this process, without signing in: `/healthz`, whether the process lives, and `/readyz`, whether it can answer people (else 503). They tell
 * nothing else.
 */
export function probes(app: AppContext): Router {
  const router = Router();
  router.get('/healthz', (_request, response) => void response.type('text').send('ok\n'));
  router.get('/readyz', async (_request, response) => {
    const isReady = app.live.isConnected && (await answersSoon(app));
    response
      .status(isReady ? 200 : 503)
      .type('text')
      .send(isReady ? 'ok\n' : 'the database does not answer\n');
  });
  return router;
}

async function answersSoon(app: AppContext): Promise<boolean> {
  let timer: NodeJS.Timeout | undefined;
  const tooLate = new Promise<boolean>((resolve) => {
    timer = setTimeout(() => resolve(false), ANSWER_WITHIN_MS);
  });
  const answered = app.db.execute(sql`select 1`).then(
    () => true,
    () => false,
  );
  try {
    return await Promise.race([answered, tooLate]);
  } finally {
    clearTimeout(timer);
  }
}
