import { AppError } from '@flagstone/core/errors';
import { sql } from 'drizzle-orm';
import type { Queryable } from '../db/connect.ts';

/** So many tries are free; each one more doubles the wait, up to the longest. Whoever tries from one address has more tries than one account has. */
const FREE = { account: 5, address: 20 } as const;
const FIRST_WAIT_SECONDS = 2;
/** Short for an account: whoever fails on purpose must not keep its owner out. Long for an address. */
const LONGEST_WAIT_SECONDS = { account: 30, address: 900 } as const;
/** Failures are forgotten after this. */
const FORGOTTEN_AFTER = '1 hour';

type Kind = keyof typeof FREE;

/**
 * Counts a try to sign in before it is made: of a thousand at once, the first few pass. Throws SIGN_IN_SLOWED while there is a wait, the same for accounts that
 * exist and those that do not.
 */
export async function countTry(db: Queryable, account: string, address: string): Promise<void> {
  // The address first: one that has to wait does not make its victim's account wait.
  await countOne(db, 'address', address);
  await countOne(db, 'account', account);
}

async function countOne(db: Queryable, kind: Kind, name: string): Promise<void> {
  const key = keyOf(kind, name);
  const wait = sql`least(${LONGEST_WAIT_SECONDS[kind]}::float8, ${FIRST_WAIT_SECONDS} * 2 ^ least(20, f.failures - ${FREE[kind]})) * interval '1 second'`;
  // The row is locked while its condition is looked at: each try sees those before it.
  const { rows } = await db.execute(sql`
    insert into sign_in_failures as f (key, failures, last_at) values (${key}, 1, now())
    on conflict (key) do update set last_at = now(),
      failures = case when f.last_at < now() - ${FORGOTTEN_AFTER}::interval then 1 else f.failures + 1 end
    where f.failures < ${FREE[kind]} or f.last_at + ${wait} < now()
    returning failures`);
  if (rows.length > 0) return;
  const { rows: waits } = await db.execute<{ seconds: number }>(
    sql`select greatest(1, ceil(extract(epoch from f.last_at + ${wait} - now())))::int as seconds from sign_in_failures f where key = ${key}`,
  );
  const seconds = waits[0]?.seconds ?? 1;
  throw new AppError('SIGN_IN_SLOWED', `Signing in failed too often. The next try is possible in ${seconds} s.`, {
    details: { seconds },
  });
}

/** After signing in the account starts anew; of the address the one try is taken back. */
export async function forgetTries(db: Queryable, account: string, address: string): Promise<void> {
  await db.execute(sql`delete from sign_in_failures where key = ${keyOf('account', account)}`);
  await db.execute(sql`delete from sign_in_failures where key in (
    select key from sign_in_failures where last_at < now() - ${FORGOTTEN_AFTER}::interval for update skip locked)`);
  await db.execute(
    sql`update sign_in_failures set failures = greatest(0, failures - 1) where key = ${keyOf('address', address)}`,
  );
}

function keyOf(kind: Kind, name: string): string {
  return `${kind} ${name}`;
}
