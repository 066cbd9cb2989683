import { AppError } from '@flagstone/core/errors';

/** Codes of PostgreSQL (appendix A of its documentation) and of the network that mean: the database is not there at the moment. */
const GONE = new Set([
  '57P01',
  '57P02',
  '57P03',
  '53300',
  'ECONNREFUSED',
  'ECONNRESET',
  'EPIPE',
  'ENOTFOUND',
  'ETIMEDOUT',
]);
const GONE_CLASS = '08';
/** What pg and its pool say without a code. */
const GONE_WORDS =
  /connection terminated|timeout exceeded when trying to connect|client has encountered a connection error|not queryable/i;
/** A database that lets nobody in says so with a code that stands for other things too: object not in prerequisite state. */
const CLOSED = { code: '55000', words: /not currently accepting connections/i };
/** Values that a column cannot hold: a number that is too large, a text with NUL, a malformed id. */
const BAD_VALUES = new Set(['22003', '22021', '22P02', '22P05', '22008', '22007']);

/** The errors that an error was made of, itself first. */
function chainOf(error: unknown): { code?: unknown; message?: unknown }[] {
  const chain: { code?: unknown; message?: unknown }[] = [];
  for (let each = error; typeof each === 'object' && each !== null && chain.length < 5; each = (each as Error).cause)
    chain.push(each);
  return chain;
}

/** Whether something failed because the database was not there: it may be tried again. */
export function isDatabaseGone(error: unknown): boolean {
  return chainOf(error).some(
    ({ code, message }) =>
      (typeof code === 'string' && (GONE.has(code) || code.startsWith(GONE_CLASS))) ||
      (code === undefined && typeof message === 'string' && GONE_WORDS.test(message)) ||
      (code === CLOSED.code && typeof message === 'string' && CLOSED.words.test(message)),
  );
}

/** What an error of the database means to whoever asked; undefined for one that is a fault of ours. */
export function databaseError(error: unknown): AppError | undefined {
  if (error instanceof AppError) return undefined;
  if (isDatabaseGone(error))
    return new AppError('UNAVAILABLE', 'Flagstone has no connection to its database.', { cause: error });
  const codes = chainOf(error).map(({ code }) => code);
  if (codes.some((code) => typeof code === 'string' && BAD_VALUES.has(code)))
    return new AppError('BAD_REQUEST', 'A number or text of the request is none that can be kept.', { cause: error });
  // Lock not available, deadlock detected.
  if (codes.includes('55P03') || codes.includes('40P01'))
    return new AppError('CONFLICT', 'Somebody else is changing the same just now.', { cause: error });
  if (codes.includes('57014') || codes.includes('25P03'))
    return new AppError('UNAVAILABLE', 'This took the database too long and was stopped.', { cause: error });
  return undefined;
}
