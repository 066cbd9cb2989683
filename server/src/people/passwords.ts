import { hash, verify } from '@node-rs/argon2';
import { AppError } from '@flagstone/core/errors';
import pLimit from 'p-limit';

/** Argon2id as the OWASP Password Storage Cheat Sheet has it first: 19 MiB, two rounds, one lane. */
const PARAMETERS = { memoryCost: 19_456, timeCost: 2, parallelism: 1 };
/** What a hash by these parameters begins with, in the PHC string format. */
const CURRENT = `$argon2id$v=19$m=${PARAMETERS.memoryCost},t=${PARAMETERS.timeCost},p=${PARAMETERS.parallelism}$`;

/** NIST SP 800-63B asks for eight characters at least, and fifteen where nothing else is asked for; twelve is what we were asked for. No rule on what they are. */
const SHORTEST = 12;
/** NIST SP 800-63B: at least 64 characters are accepted. A bound, so that nobody has megabytes hashed. */
export const LONGEST_PASSWORD = 200;

/** Few at once: each takes 19 MiB, and the threads that hash are those that read files. */
const inTurn = pLimit(2);
const MOST_WAITING = 100;

function takeTurn<Value>(work: () => Promise<Value>): Promise<Value> {
  if (inTurn.pendingCount >= MOST_WAITING)
    throw new AppError('UNAVAILABLE', 'Too many people are signing in just now.');
  return inTurn(work);
}

/** The same letters however a keyboard writes them (NIST SP 800-63B, 3.1.1.2: normalised by NFKC or NFKD). */
const normalised = (password: string): string => password.normalize('NFKC');

/** A hash to keep, in the PHC string format. */
export function hashPassword(password: string): Promise<string> {
  return takeTurn(() => hash(normalised(password), PARAMETERS));
}

/** Of nobody: verified when there is no such account, so that the answer takes as long. */
let nobodysHash: Promise<string> | undefined;

/** Whether a password is the one of a hash, and whether the hash is by other parameters than today's. Takes as long without a hash. */
export async function checkPassword(
  kept: string | null,
  password: string,
): Promise<{ isRight: boolean; isOutdated: boolean }> {
  const hashed = kept ?? (await (nobodysHash ??= hashPassword('nobody has this password')));
  const isSame = await takeTurn(() => verify(hashed, normalised(password)));
  return { isRight: kept !== null && isSame, isOutdated: !hashed.startsWith(CURRENT) };
}

/** Throws PASSWORD_REFUSED for one that is short, in everybody's list, or made of the person's own names. */
export async function refuseWeak(password: string, ownWords: readonly string[]): Promise<void> {
  const letters = [...normalised(password)];
  if (letters.length < SHORTEST)
    throw new AppError(
      'PASSWORD_REFUSED',
      `A password has ${SHORTEST} characters at least; this one has ${letters.length}.`,
    );
  const plain = normalised(password).toLowerCase();
  // The list is long; hardly any process needs it.
  const { dictionary } = await import('@zxcvbn-ts/language-common');
  const common = new Set<string>(dictionary['passwords-common']);
  // What is left without numbers and signs at either end: most guesses put them there.
  const core = plain.replace(/^[^\p{L}]+|[^\p{L}]+$/gu, '');
  const isRepeated = /^(.{1,4})\1+.{0,3}$/su.test(plain);
  if (common.has(plain) || core === '' || common.has(core) || isRepeated)
    throw new AppError('PASSWORD_REFUSED', 'This password is among those that are tried first.');
  const own = ['flagstone', ...ownWords].map((word) => word.toLowerCase().replace(/\s+/g, ''));
  if (own.includes(plain.replace(/[^\p{L}]+/gu, '')))
    throw new AppError('PASSWORD_REFUSED', 'This password is a name that others know.');
}
