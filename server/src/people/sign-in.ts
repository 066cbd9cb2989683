import { AppError } from '@flagstone/core/errors';
import type { SignIn } from '@flagstone/contract/people';
import { and, eq, isNull } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import type { Transaction } from '../db/connect.ts';
import { people } from '../db/schema.ts';
import type { Asker } from './asker.ts';
import { note, type Caller } from './audit-log.ts';
import { checkPassword, hashPassword, refuseWeak } from './passwords.ts';
import { beginSession, endOtherSessions, endSession } from './sessions.ts';
import { countTry, forgetTries } from './sign-in-failures.ts';

/** Account names are written in whatever case. */
export const accountOf = (written: string): string => written.trim().toLowerCase();

/**
 * Signs a person in and returns the secret of a new session. Throws SIGN_IN_REFUSED, the same for an unknown account and a wrong password, and SIGN_IN_SLOWED.
 */
export async function signIn(
  app: Pick<AppContext, 'db'>,
  { account: written, password }: SignIn,
  caller: Caller,
): Promise<string> {
  const account = accountOf(written);
  await countTry(app.db, account, caller.address);
  const [person] = await app.db
    .select()
    .from(people)
    .where(and(eq(people.account, account), isNull(people.endedAt)));
  const { isRight, isOutdated } = await checkPassword(person?.passwordHash ?? null, password);
  if (!person || !isRight) {
    await note(app.db, { what: 'signs in', about: account, by: undefined, address: caller.address, refused: true });
    throw wrongPassword();
  }
  const rehashed = isOutdated ? await hashPassword(password) : undefined;
  return app.db.transaction(async (tx) => {
    await refuseReplaced(tx, person);
    await forgetTries(tx, account, caller.address);
    if (rehashed !== undefined) await tx.update(people).set({ passwordHash: rehashed }).where(eq(people.id, person.id));
    await note(tx, { what: 'signs in', about: account, by: person, address: caller.address });
    return beginSession(tx, person.id, caller);
  });
}

/** Ends the session that signs out; nothing when there is none. */
export async function signOut(
  app: Pick<AppContext, 'db' | 'live' | 'askers'>,
  secret: string | undefined,
  caller: Caller,
): Promise<void> {
  const owner = secret === undefined ? undefined : await app.askers.find('session', secret);
  if (!owner) return;
  await app.db.transaction(async (tx) => {
    await endSession(tx, owner.personId, owner.sessionId);
    await note(tx, {
      what: 'signs out',
      about: '',
      by: { id: owner.personId, name: owner.name },
      address: caller.address,
    });
    await app.live.publish(tx, { type: 'people' });
  });
}

/** Ends one of the sessions of whoever asks. Throws NOT_FOUND. */
export async function endOwnSession(
  app: Pick<AppContext, 'db' | 'live'>,
  owner: Asker,
  sessionId: number,
  caller: Caller,
): Promise<void> {
  await app.db.transaction(async (tx) => {
    if (!(await endSession(tx, owner.personId, sessionId)))
      throw new AppError('NOT_FOUND', 'That session is over already.');
    const by = { id: owner.personId, name: owner.name };
    await note(tx, { what: 'ends a session', about: `session ${sessionId}`, by, address: caller.address });
    await app.live.publish(tx, { type: 'people' });
  });
}

/** Signs somebody of the demo in. Throws NOT_FOUND for anybody else. */
export async function signInDemo(
  app: Pick<AppContext, 'db' | 'demoPeople'>,
  id: number,
  caller: Caller,
): Promise<string> {
  const person = app.demoPeople.find((each) => each.id === id);
  if (!person) throw new AppError('NOT_FOUND', 'Nobody of the demo has this number.');
  await note(app.db, { what: 'signs in', about: 'by a click, in the demo', by: person, address: caller.address });
  return beginSession(app.db, person.id, caller);
}

/**
 * Takes another password, once the one of now was said, and ends every session but the one that asks. Tries are counted as those to sign in. Throws SIGN_IN_REFUSED,
 * SIGN_IN_SLOWED, PASSWORD_REFUSED.
 */
export async function changePassword(
  app: Pick<AppContext, 'db' | 'live'>,
  asker: Asker,
  { current, password }: { current: string; password: string },
  caller: Caller,
): Promise<void> {
  const [person] = await app.db.select().from(people).where(eq(people.id, asker.personId));
  const account = person?.account ?? null;
  if (!person || account === null) throw new AppError('BAD_REQUEST', `${asker.name} has no account to sign in with.`);
  const { name } = person;
  await countTry(app.db, account, caller.address);
  const line = { what: 'chooses a password', about: account, by: person, address: caller.address };
  if (!(await checkPassword(person.passwordHash, current)).isRight) {
    await note(app.db, { ...line, refused: true });
    throw new AppError('SIGN_IN_REFUSED', 'That is not your password of now.');
  }
  await refuseWeak(password, [name, account, ...name.split(/\s+/)]);
  const passwordHash = await hashPassword(password);
  await app.db.transaction(async (tx) => {
    await refuseReplaced(tx, person);
    await forgetTries(tx, account, caller.address);
    await tx.update(people).set({ passwordHash }).where(eq(people.id, person.id));
    await endOtherSessions(tx, person.id, asker.sessionId);
    await note(tx, line);
    await app.live.publish(tx, { type: 'people' });
  });
}

/** Locks a person's password until the transaction ends. Throws SIGN_IN_REFUSED for one that was replaced, by a link for instance, while it was verified. */
async function refuseReplaced(
  tx: Transaction,
  { id, passwordHash }: { id: number; passwordHash: string | null },
): Promise<void> {
  const [now] = await tx
    .select({ passwordHash: people.passwordHash, endedAt: people.endedAt })
    .from(people)
    .where(eq(people.id, id))
    .for('update');
  if (!now || now.endedAt !== null || now.passwordHash !== passwordHash) throw wrongPassword();
}

function wrongPassword(): AppError {
  return new AppError('SIGN_IN_REFUSED', 'There is no account with this name and this password.');
}
