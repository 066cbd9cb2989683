import type { Response } from 'express';

/** Aborted when nobody waits for the answer any more. */
export function goneOf(response: Response): AbortSignal {
  const waiting = new AbortController();
  response.once('close', () => {
    if (!response.writableFinished) waiting.abort();
  });
  return waiting.signal;
}
