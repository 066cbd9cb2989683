import type { SessionSeen } from '@flagstone/contract/people';
import { and, eq, ne, sql } from 'drizzle-orm';
import type { Queryable } from '../db/connect.ts';
import { sessions } from '../db/people-schema.ts';
import { fromNow } from '../db/sql-parts.ts';
import type { Owner } from './asker.ts';
import type { Caller } from './audit-log.ts';
import { digestOf, newSecret } from './secrets.ts';

/** A session in which nothing is done for so long is over. */
const IDLE = '12 hours';
/** And every one after this, whatever is done in it. */
export const LONGEST_SESSION_MS = 7 * 24 * 3_600_000;
const LONGEST_BROWSER = 200;
/** More than anybody needs; the oldest one ends. */
const MOST_OF_A_PERSON = 50;

/** Begins a session and returns its secret, of which only the digest is kept. */
export async function beginSession(db: Queryable, personId: number, caller: Caller): Promise<string> {
  const secret = newSecret();
  await db.insert(sessions).values({
    digest: digestOf(secret),
    personId,
    endsAt: fromNow(LONGEST_SESSION_MS),
    browser: caller.browser.slice(0, LONGEST_BROWSER),
    address: caller.address,
  });
  // What somebody else is at already is left to them, so that two never wait for each other.
  await db.execute(sql`
    delete from sessions where id in (
      select id from sessions where ends_at < now() or seen_at < now() - ${IDLE}::interval
        or id in (select id from sessions where person_id = ${personId} order by seen_at desc, id desc offset ${MOST_OF_A_PERSON})
      for update skip locked)`);
  return secret;
}

/**
 * Who has the session of a secret, while it lasts and the person has not left. Its last use is kept to the minute, unless it is only looked at.
 */
export async function ownerOf(db: Queryable, secret: string, isUsed = true): Promise<Owner | undefined> {
  const { rows } = await db.execute<{ id: number; person_id: number; name: string; stale: boolean }>(sql`
    select s.id, s.person_id, p.name, s.seen_at < now() - interval '1 minute' as stale
    from sessions s join people p on p.id = s.person_id
    where s.digest = ${digestOf(secret)} and s.ends_at > now() and s.seen_at > now() - ${IDLE}::interval and p.ended_at is null`);
  const [row] = rows;
  if (!row) return undefined;
  if (isUsed && row.stale) await db.execute(sql`update sessions set seen_at = now() where id = ${row.id}`);
  return { sessionId: row.id, personId: row.person_id, name: row.name, most: null };
}

/** The sessions of a person that last, the one that was used last first. */
export async function sessionsOf(db: Queryable, personId: number, ownId: number): Promise<SessionSeen[]> {
  const { rows } = await db.execute<{
    id: number;
    created_at: string;
    seen_at: string;
    browser: string;
    address: string;
  }>(sql`
    select id, created_at, seen_at, browser, address from sessions
    where person_id = ${personId} and ends_at > now() and seen_at > now() - ${IDLE}::interval order by seen_at desc, id desc`);
  return rows.map((row) => ({
    id: row.id,
    beganAt: new Date(row.created_at).toISOString(),
    seenAt: new Date(row.seen_at).toISOString(),
    browser: row.browser,
    address: row.address,
    isThis: row.id === ownId,
  }));
}

/** Ends one session of a person; false when there is none such. */
export async function endSession(db: Queryable, personId: number, sessionId: number): Promise<boolean> {
  const ended = await db
    .delete(sessions)
    .where(and(eq(sessions.id, sessionId), eq(sessions.personId, personId)))
    .returning({ id: sessions.id });
  return ended.length > 0;
}

/** Ends all sessions of a person. */
export async function endAllSessions(db: Queryable, personId: number): Promise<void> {
  await db.delete(sessions).where(eq(sessions.personId, personId));
}

/** Ends all sessions of a person but one. */
export async function endOtherSessions(db: Queryable, personId: number, keptId: number): Promise<void> {
  await db.delete(sessions).where(and(eq(sessions.personId, personId), ne(sessions.id, keptId)));
}
