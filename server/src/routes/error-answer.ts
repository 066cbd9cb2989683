import { AppError, type ErrorCode } from '@flagstone/core/errors';
import { STATUS_CODES } from 'node:http';
import type { ErrorBody, Problem } from '@flagstone/contract/endpoint';
import type { ErrorRequestHandler } from 'express';
import type { Logger } from 'pino';
import { z } from 'zod';
import { databaseError } from '../db/database-errors.ts';

/** The HTTP status of each error; those not named here are the request's fault, 422. */
const STATUSES: Partial<Record<ErrorCode, number>> = {
  BAD_REQUEST: 400,
  SIGN_IN_REQUIRED: 401,
  SIGN_IN_REFUSED: 403,
  PASSKEY_REFUSED: 403,
  NOT_ALLOWED: 403,
  ORIGIN_REFUSED: 403,
  LINK_OVER: 410,
  SIGN_IN_SLOWED: 429,
  PATH_OUTSIDE_ROOTS: 403,
  SYMLINK_OUTSIDE: 403,
  PATH_NOT_READABLE: 403,
  HOST_REFUSED: 403,
  NOT_FOUND: 404,
  PATH_NOT_FOUND: 404,
  FILE_VANISHED: 404,
  CONFLICT: 409,
  EDIT_CONFLICT: 409,
  DRIVE_DIFFERS: 409,
  FILE_CHANGED: 409,
  NAME_TAKEN: 409,
  PLAN_NOT_RUNNABLE: 409,
  NOT_UNDOABLE: 409,
  TOO_LARGE: 413,
  INTERNAL: 500,
  IO_FAILED: 500,
  UNAVAILABLE: 503,
  DATABASE_TOO_NEW: 503,
  DATABASE_TOO_OLD: 503,
  DISK_FULL: 507,
};

/** The status for an error code. */
export function statusOf(code: ErrorCode): number {
  return STATUSES[code] ?? 422;
}

/** What an error tells whoever asked. */
export function errorBodyOf({ code, message, remedy, details }: AppError): ErrorBody {
  return { code, message, remedy, details };
}

/** The same as problem details (RFC 9457). */
function problemOf(error: AppError, status: number): Problem {
  const title = STATUS_CODES[status] ?? 'Error';
  return { type: 'about:blank', title, status, detail: error.message, ...errorBodyOf(error) };
}

function asAppError(error: unknown): AppError {
  if (error instanceof AppError) return error;
  if (error instanceof z.ZodError) {
    const fields = error.issues.map((issue) => ({ path: issue.path.join('.'), message: issue.message }));
    const message = fields.map((field) => `${field.path || 'the request'}: ${field.message}`).join('; ');
    return new AppError('BAD_REQUEST', message, { details: { fields }, cause: error });
  }
  const ofDatabase = databaseError(error);
  if (ofDatabase) return ofDatabase;
  const status = (error as { status?: unknown } | null)?.status;
  if (typeof status === 'number' && status >= 400 && status < 500) {
    return new AppError('BAD_REQUEST', (error as Error).message, { cause: error });
  }
  return new AppError('INTERNAL', 'The server met an unexpected fault.', { cause: error });
}

/** What streams and waiting work say when the connection was closed from outside. */
const OF_GOING: readonly unknown[] = [
  'ERR_STREAM_PREMATURE_CLOSE',
  'ERR_STREAM_DESTROYED',
  'ECONNRESET',
  'EPIPE',
  'ABORT_ERR',
];

function isOfGoing(error: unknown): boolean {
  const { code, name } = (error ?? {}) as { code?: unknown; name?: unknown };
  return OF_GOING.includes(code) || name === 'AbortError';
}

/** The one place where an error becomes an HTTP answer. */
export function errorAnswer(log: Logger): ErrorRequestHandler {
  // Express knows an error handler by its four parameters.
  return (error, request, response, _next) => {
    const isOver = response.destroyed || request.aborted;
    // Whoever asked has gone: nobody is told, and nothing went wrong here.
    if (isOver && isOfGoing(error)) return;
    const known = asAppError(error);
    const status = statusOf(known.code);
    // Said by whoever found out; the hundred requests that meet it have nothing to add.
    if (status === 503) log.debug({ url: request.originalUrl }, known.message);
    else if (status >= 500) log.error({ err: error as unknown, url: request.originalUrl }, known.message);
    // An answer that failed half-way was cut off already: whoever asked sees that, and why stands in the log.
    if (isOver) return;
    if (response.headersSent) return void response.destroy();
    // What was not read of a request is not waited for.
    if (!request.complete) response.set('Connection', 'close');
    response
      .status(status)
      .type('application/problem+json')
      .send(JSON.stringify(problemOf(known, status)));
  };
}
