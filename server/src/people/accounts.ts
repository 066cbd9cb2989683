import { AppError } from '@flagstone/core/errors';
import { initialsOf } from '@flagstone/core/text/initials';
import type { Account, AccountChange, NewAccount } from '@flagstone/contract/people';
import type { CollectionRole, RoleChange } from '@flagstone/contract/roles';
import { and, eq, sql } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import type { Queryable, Transaction } from '../db/connect.ts';
import { apiTokens, passkeys } from '../db/people-schema.ts';
import { collectionPeople, collections, people } from '../db/schema.ts';
import { note, type Caller } from './audit-log.ts';
import { endAllSessions } from './sessions.ts';
import { makeLink } from './sign-in-links.ts';
import { accountOf } from './sign-in.ts';

/** Who acts, as the audit log names them; undefined at the shell. */
export type Acting = { id: number; name: string } | undefined;
type App = Pick<AppContext, 'db' | 'live'>;

/** The roles of a person `p`, by collection. */
const ROLES_OF_PERSON = sql`coalesce((select jsonb_agg(jsonb_build_object('collectionId', m.collection_id, 'role', m.role) order by m.collection_id)
  from collection_people m where m.person_id = p.id), '[]')`;

/** Everybody who has done something or may sign in, by name; those who left last. */
export async function listAccounts(db: Queryable): Promise<Account[]> {
  const { rows } = await db.execute<{
    id: number;
    name: string;
    initials: string;
    account: string | null;
    administrator: boolean;
    has_password: boolean;
    sessions: number;
    seen_at: string | null;
    has_left: boolean;
    roles: CollectionRole[];
  }>(sql`
    select p.id, p.name, p.initials, p.account, p.is_administrator as administrator, p.password_hash is not null as has_password,
      count(s.id)::int as sessions, max(s.seen_at) as seen_at, p.ended_at is not null as has_left,
      ${ROLES_OF_PERSON} as roles
    from people p left join sessions s on s.person_id = p.id and s.ends_at > now()
    group by p.id order by has_left, lower(p.name)`);
  return rows.map(({ administrator, has_password: hasPassword, seen_at: seenAt, has_left: hasLeft, ...row }) => ({
    ...row,
    isAdministrator: administrator,
    hasPassword,
    seenAt: seenAt === null ? null : new Date(seenAt).toISOString(),
    hasLeft,
  }));
}

/** Adds a person, or gives an account to one who is known by that name; returns the secret of the link to sign in by. Throws CONFLICT. */
export async function addAccount(app: App, added: NewAccount, by: Acting, caller: Caller): Promise<string> {
  const account = accountOf(added.account);
  return change(app, async (tx) => {
    const { rows } = await tx.execute(
      sql`select from people where account = ${account} or (lower(name) = lower(${added.name}) and account is not null)`,
    );
    if (rows.length > 0)
      throw new AppError('CONFLICT', `There is a person “${added.name}” or an account “${account}” already.`);
    const { isAdministrator } = added;
    const [person] = await tx
      .insert(people)
      .values({ name: added.name, initials: initialsOf(added.name), account, isAdministrator })
      .onConflictDoUpdate({ target: people.name, set: { account, isAdministrator, endedAt: null } })
      .returning({ id: people.id });
    if (!person) throw new AppError('INTERNAL', 'The person could not be added.');
    const roles = await changeRoles(tx, person.id, added.roles);
    const about = [`${added.name} (${account})`, ...(isAdministrator ? ['administrator'] : []), ...roles].join(', ');
    await note(tx, { what: 'adds a person', about, by, address: caller.address });
    return makeLink(tx, person.id);
  });
}

/** Changes what a person is called and may do. Throws NOT_FOUND, CONFLICT for a name that is taken and for the last administrator. */
export async function changeAccount(
  app: App,
  id: number,
  { name, isAdministrator, roles, hasLeft }: AccountChange,
  by: Acting,
  caller: Caller,
): Promise<void> {
  await change(app, async (tx) => {
    const person = await lockPerson(tx, id);
    if (name !== undefined) await refuseTaken(tx, name, id);
    const set = {
      ...(name === undefined ? {} : { name, initials: initialsOf(name) }),
      ...(isAdministrator === undefined ? {} : { isAdministrator }),
      ...(hasLeft === undefined ? {} : { endedAt: hasLeft ? new Date() : null }),
    };
    if (Object.keys(set).length > 0) await tx.update(people).set(set).where(eq(people.id, id));
    await keepOneAdministrator(tx);
    if (hasLeft) {
      await endAllSessions(tx, id);
      await tx.delete(apiTokens).where(eq(apiTokens.personId, id));
      await tx.delete(passkeys).where(eq(passkeys.personId, id));
    }
    const given = roles && (await changeRoles(tx, id, roles));
    const words = [
      ...(name === undefined ? [] : [`now called ${name}`]),
      ...(isAdministrator === undefined ? [] : [isAdministrator ? 'administrator' : 'no administrator']),
      ...(given ?? []),
      ...(hasLeft === false ? ['is back'] : []),
    ];
    if (hasLeft) await note(tx, { what: 'has a person leave', about: person.name, by, address: caller.address });
    if (words.length > 0)
      await note(tx, {
        what: 'changes a person',
        about: `${person.name}: ${words.join(', ')}`,
        by,
        address: caller.address,
      });
  });
}

/** Gives a person other roles, or takes them away; returns them in words. Throws NOT_FOUND for a collection that there is not. */
async function changeRoles(tx: Transaction, personId: number, changes: readonly RoleChange[]): Promise<string[]> {
  const known = new Map((await tx.select().from(collections)).map(({ id, name }) => [id, name]));
  const words: string[] = [];
  for (const { collectionId, role } of changes) {
    const name = known.get(collectionId);
    if (name === undefined) throw new AppError('NOT_FOUND', `There is no collection ${collectionId}.`);
    const own = and(eq(collectionPeople.collectionId, collectionId), eq(collectionPeople.personId, personId));
    if (role === null) await tx.delete(collectionPeople).where(own);
    else
      await tx
        .insert(collectionPeople)
        .values({ collectionId, personId, role })
        .onConflictDoUpdate({ target: [collectionPeople.collectionId, collectionPeople.personId], set: { role } });
    words.push(`${role ?? 'no role'} in “${name}”`);
  }
  return words;
}

/** A new link to choose a password by; what the person signed in with before holds no more. Throws NOT_FOUND, BAD_REQUEST. */
export async function makeAccountLink(app: App, id: number, by: Acting, caller: Caller): Promise<string> {
  return change(app, async (tx) => {
    const person = await lockPerson(tx, id);
    if (person.account === null || person.endedAt !== null)
      throw new AppError('BAD_REQUEST', `${person.name} has no account, or has left.`);
    await tx.update(people).set({ passwordHash: null }).where(eq(people.id, id));
    await tx.delete(passkeys).where(eq(passkeys.personId, id));
    await endAllSessions(tx, id);
    await note(tx, { what: 'makes a link', about: person.name, by, address: caller.address });
    return makeLink(tx, id);
  });
}

/** The person who stands for the program itself, for what is done at the shell. Made when first asked for. */
export async function programPerson(db: Queryable): Promise<number> {
  const named = await db.select({ id: people.id }).from(people).where(eq(people.name, PROGRAM));
  if (named[0]) return named[0].id;
  await db.insert(people).values({ name: PROGRAM, initials: 'F' }).onConflictDoNothing();
  return programPerson(db);
}
const PROGRAM = 'Flagstone';

/** Changes of who may do what are one after the other, and every process hears of them. */
async function change<Value>(app: App, work: (tx: Transaction) => Promise<Value>): Promise<Value> {
  return app.db.transaction(async (tx) => {
    await tx.execute(sql`select pg_advisory_xact_lock(hashtext('flagstone people'))`);
    const value = await work(tx);
    await app.live.publish(tx, { type: 'people' });
    return value;
  });
}

async function lockPerson(tx: Transaction, id: number) {
  const [person] = await tx.select().from(people).where(eq(people.id, id)).for('update');
  if (!person) throw new AppError('NOT_FOUND', 'There is no such person.');
  return person;
}

async function refuseTaken(tx: Transaction, name: string, ownId: number): Promise<void> {
  const { rows } = await tx.execute(sql`select from people where lower(name) = lower(${name}) and id <> ${ownId}`);
  if (rows.length > 0) throw new AppError('CONFLICT', `There is a person “${name}” already.`);
}

/** Somebody has to be able to let others in. */
async function keepOneAdministrator(tx: Transaction): Promise<void> {
  const { rows } = await tx.execute(sql`select from people where is_administrator and ended_at is null limit 1`);
  if (rows.length === 0)
    throw new AppError('CONFLICT', 'The last administrator stays one: make somebody else an administrator first.');
}
