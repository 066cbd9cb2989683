import { AppError } from '@flagstone/core/errors';
import type { ApiToken, NewToken, TokenRole } from '@flagstone/contract/people';
import { and, asc, eq, sql } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import type { Queryable } from '../db/connect.ts';
import { apiTokens } from '../db/people-schema.ts';
import { note, type Caller } from './audit-log.ts';
import type { Acting } from './accounts.ts';
import { digestOf, newSecret } from './secrets.ts';
import type { Owner } from './asker.ts';

/** So that a token that turns up somewhere is known for what it is. */
const PREFIX = 'flagstone_';
const DAY_MS = 24 * 3_600_000;
const MOST_OF_A_PERSON = 100;

/** The tokens of a person, by name, those that are over too. */
export async function tokensOf(db: Queryable, personId: number): Promise<ApiToken[]> {
  const rows = await db
    .select()
    .from(apiTokens)
    .where(eq(apiTokens.personId, personId))
    .orderBy(asc(apiTokens.name), asc(apiTokens.id));
  return rows.map(({ id, name, role, createdAt, endsAt, usedAt }) => ({
    id,
    name,
    role,
    madeAt: createdAt.toISOString(),
    endsAt: endsAt.toISOString(),
    usedAt: usedAt?.toISOString() ?? null,
  }));
}

/** Makes a token by which scripts act for a person; told here and never again. Throws BAD_REQUEST when there are too many. */
export async function makeToken(
  app: Pick<AppContext, 'db'>,
  personId: number,
  { name, role, days }: NewToken,
  by: Acting,
  caller: Caller,
): Promise<string> {
  const token = `${PREFIX}${newSecret()}`;
  await app.db.transaction(async (tx) => {
    const kept = await tx.$count(apiTokens, eq(apiTokens.personId, personId));
    if (kept >= MOST_OF_A_PERSON) throw new AppError('BAD_REQUEST', 'End a token that is used no more first.');
    const endsAt = new Date(Date.now() + days * DAY_MS);
    await tx.insert(apiTokens).values({ digest: digestOf(token), personId, name, role, endsAt });
    const about = `${name}${role === null ? '' : `, ${role} at most`}, until ${endsAt.toISOString().slice(0, 10)}`;
    await note(tx, { what: 'makes a token', about, by, address: caller.address });
  });
  return token;
}

/** Ends a token of a person; false when there is none such. */
export async function endToken(
  app: Pick<AppContext, 'db' | 'live'>,
  personId: number,
  tokenId: number,
  by: Acting,
  caller: Caller,
): Promise<boolean> {
  return app.db.transaction(async (tx) => {
    const [ended] = await tx
      .delete(apiTokens)
      .where(and(eq(apiTokens.id, tokenId), eq(apiTokens.personId, personId)))
      .returning({ name: apiTokens.name });
    if (!ended) return false;
    await note(tx, { what: 'ends a token', about: ended.name, by, address: caller.address });
    await app.live.publish(tx, { type: 'people' });
    return true;
  });
}

/** For whom a token acts, while it lasts and the person has not left. Its last use is kept to the minute. */
export async function ownerOfToken(db: Queryable, token: string, isUsed = true): Promise<Owner | undefined> {
  const { rows } = await db.execute<{
    id: number;
    person_id: number;
    name: string;
    role: TokenRole | null;
    stale: boolean;
  }>(sql`
    select t.id, t.person_id, p.name, t.role, coalesce(t.used_at < now() - interval '1 minute', true) as stale
    from api_tokens t join people p on p.id = t.person_id
    where t.digest = ${digestOf(token)} and t.ends_at > now() and p.ended_at is null`);
  const [row] = rows;
  if (!row) return undefined;
  if (isUsed && row.stale) await db.execute(sql`update api_tokens set used_at = now() where id = ${row.id}`);
  return { sessionId: 0, personId: row.person_id, name: row.name, most: row.role };
}
