import { AppError } from '@flagstone/core/errors';
import { initialsOf } from '@flagstone/core/text/initials';
import type { LinkFacts, UsedLink } from '@flagstone/contract/people';
import { and, eq, gt, isNull, sql } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import type { Queryable, Transaction } from '../db/connect.ts';
import { signInLinks } from '../db/people-schema.ts';
import { people } from '../db/schema.ts';
import { fromNow } from '../db/sql-parts.ts';
import { note, type Caller } from './audit-log.ts';
import { hashPassword, refuseWeak } from './passwords.ts';
import { digestOf, newSecret } from './secrets.ts';
import { beginSession, endAllSessions } from './sessions.ts';
import { accountOf } from './sign-in.ts';

const LINK_LASTS_MS = 3 * 24 * 3_600_000;

/** Makes a link by which a person chooses a password, once and within three days; links before it hold no more. Returns its secret. */
export async function makeLink(db: Queryable, personId: number): Promise<string> {
  await db.delete(signInLinks).where(eq(signInLinks.personId, personId));
  return keepLink(db, personId);
}

/** The secret of a link that makes the first administrator; undefined when there is one who can sign in or was invited. */
export async function firstLink(db: Queryable): Promise<string | undefined> {
  const [administrator] = await db
    .select({ id: people.id })
    .from(people)
    .where(and(eq(people.isAdministrator, true), isNull(people.endedAt)))
    .limit(1);
  if (administrator) return undefined;
  // The one that was printed at the start before is lost, as likely as not.
  await db.delete(signInLinks).where(isNull(signInLinks.personId));
  return keepLink(db, null);
}

async function keepLink(db: Queryable, personId: number | null): Promise<string> {
  const secret = newSecret();
  await db.insert(signInLinks).values({ digest: digestOf(secret), personId, endsAt: fromNow(LINK_LASTS_MS) });
  return secret;
}

/** Whom a link is for. Throws LINK_OVER. */
export async function factsOfLink(db: Queryable, secret: string): Promise<LinkFacts> {
  const [link] = await db
    .select({ personId: signInLinks.personId, name: people.name, account: people.account })
    .from(signInLinks)
    .leftJoin(people, eq(people.id, signInLinks.personId))
    .where(and(eq(signInLinks.digest, digestOf(secret)), gt(signInLinks.endsAt, sql`now()`)));
  if (!link) throw linkOver();
  return { isFirst: link.personId === null, name: link.name ?? '', account: link.account ?? '' };
}

/** Sets the password that was chosen by a link, ends the person's other sessions and signs them in. Throws LINK_OVER, PASSWORD_REFUSED, CONFLICT. */
export async function takeLink(app: Pick<AppContext, 'db'>, used: UsedLink, caller: Caller): Promise<string> {
  const facts = await factsOfLink(app.db, used.secret);
  const name = facts.isFirst ? used.name.trim() : facts.name;
  const account = facts.isFirst ? accountOf(used.account) : facts.account;
  if (name === '' || account === '') throw new AppError('BAD_REQUEST', 'A name and an account name are needed.');
  await refuseWeak(used.password, [name, account, ...name.split(/\s+/)]);
  const passwordHash = await hashPassword(used.password);
  return app.db.transaction(async (tx) => {
    // Only one of two who use it at once gets a row.
    const [link] = await tx
      .delete(signInLinks)
      .where(and(eq(signInLinks.digest, digestOf(used.secret)), gt(signInLinks.endsAt, sql`now()`)))
      .returning({ personId: signInLinks.personId });
    if (!link) throw linkOver();
    const personId = link.personId ?? (await firstAdministrator(tx, name, account, caller));
    await tx.update(people).set({ passwordHash }).where(eq(people.id, personId));
    await endAllSessions(tx, personId);
    await note(tx, { what: 'chooses a password', about: account, by: { id: personId, name }, address: caller.address });
    return beginSession(tx, personId, caller);
  });
}

/** Somebody who is known by that name from before there were accounts keeps what is theirs. */
async function firstAdministrator(tx: Transaction, name: string, account: string, caller: Caller): Promise<number> {
  const [person] = await tx
    .insert(people)
    .values({ name, initials: initialsOf(name), account, isAdministrator: true })
    .onConflictDoUpdate({ target: people.name, set: { account, isAdministrator: true } })
    .returning({ id: people.id });
  if (!person) throw new AppError('INTERNAL', 'The first administrator could not be made.');
  await note(tx, {
    what: 'adds a person',
    about: `${name}, administrator`,
    by: { id: person.id, name },
    address: caller.address,
  });
  return person.id;
}

function linkOver(): AppError {
  return new AppError(
    'LINK_OVER',
    'This link was used already, is older than three days, or was replaced by a newer one.',
  );
}
