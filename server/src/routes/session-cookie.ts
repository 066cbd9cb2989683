import { parse } from 'cookie';
import type { CookieOptions, Request, Response } from 'express';
import { LONGEST_SESSION_MS } from '../people/sessions.ts';

/** Under TLS with the prefix by which browsers make sure that no other host and no plain page set it (RFC 6265bis, 4.1.3.2). */
const nameFor = (request: Request): string => (request.secure ? '__Host-flagstone-session' : 'flagstone-session');

const optionsFor = (request: Request): CookieOptions => ({
  httpOnly: true,
  sameSite: 'lax',
  path: '/',
  secure: request.secure,
});

/** The secret of the session that a request brings along; undefined when it brings none. */
export function sessionIn(request: Request): string | undefined {
  return parse(request.get('cookie') ?? '')[nameFor(request)];
}

/** Hands the browser the secret of a new session. */
export function setSession(response: Response, secret: string): void {
  response.cookie(nameFor(response.req), secret, { ...optionsFor(response.req), maxAge: LONGEST_SESSION_MS });
}

/** Has the browser forget the session. */
export function clearSession(response: Response): void {
  response.clearCookie(nameFor(response.req), optionsFor(response.req));
}
