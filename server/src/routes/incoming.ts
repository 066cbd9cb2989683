import type { Request } from 'express';
import type { Incoming } from '../disk/scratch-file.ts';

/** What is sent, and how much of it that is said to be. */
export function incoming(request: Request): Incoming {
  const said = Number(request.get('content-length'));
  return { stream: request, bytes: Number.isFinite(said) ? said : undefined };
}
