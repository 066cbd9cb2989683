import { AppError } from '@flagstone/core/errors';
import { initialsOf } from '@flagstone/core/text/initials';
import type { StandsFor } from '@flagstone/contract/sheets';
import { and, eq, sql } from 'drizzle-orm';
import type { Queryable } from '../db/connect.ts';
import { people } from '../db/schema.ts';
import { housePeople } from '../db/sheets-schema.ts';
import { ownHouse } from './house.ts';

/** The house whose people are meant. */
interface OtherHouse {
  id: string;
  name: string;
}

/** For whom people of a house stand here, by their names there; who is not among them stands for a guest. */
export async function standingOf(db: Queryable, houseId: string): Promise<Map<string, StandsFor>> {
  const rows = await db.select().from(housePeople).where(eq(housePeople.houseId, houseId));
  return new Map(
    rows.map(({ name, personId, isGuest }): [string, StandsFor] => [
      name,
      isGuest ? { as: 'guest' } : personId === null ? { as: 'nobody' } : { as: 'person', personId },
    ]),
  );
}

/**
 * Says for whom somebody of a house stands. In the name of others only administrators have anything said: everybody else says it of themselves, and of nobody's. Throws
 * NOT_ALLOWED, NOT_FOUND.
 */
export async function placePerson(
  db: Queryable,
  houseId: string,
  { name, stands }: { name: string; stands: StandsFor },
  by: { personId: number; isAdministrator: boolean },
): Promise<void> {
  const [now] = await db.select().from(housePeople).where(whose(houseId, name)).for('update');
  const concerned = [stands.as === 'person' ? stands.personId : null, now && !now.isGuest ? now.personId : null];
  if (!by.isAdministrator && concerned.some((id) => id !== null && id !== by.personId))
    throw new AppError(
      'NOT_ALLOWED',
      'In the name of somebody else only an administrator says who they are in another house.',
    );
  if (stands.as === 'guest') {
    await db.delete(housePeople).where(whose(houseId, name));
    return;
  }
  const personId = stands.as === 'person' ? stands.personId : null;
  if (personId !== null) await needPerson(db, personId);
  const set = { personId, isGuest: false };
  await db
    .insert(housePeople)
    .values({ houseId, name, ...set })
    .onConflictDoUpdate({ target: [housePeople.houseId, housePeople.name], set });
}

const whose = (houseId: string, name: string) => and(eq(housePeople.houseId, houseId), eq(housePeople.name, name));

async function needPerson(db: Queryable, id: number): Promise<void> {
  const [person] = await db.select({ id: people.id }).from(people).where(eq(people.id, id));
  if (!person) throw new AppError('NOT_FOUND', `There is no person ${id}.`);
}

/** The person of this house for whom somebody of another one stands; a guest is made when first needed. Null for one whose marks are left out. */
export async function personFor(db: Queryable, house: OtherHouse, name: string): Promise<number | null> {
  const [known] = await db.select().from(housePeople).where(whose(house.id, name));
  if (known) return known.personId;
  // Another data folder of the same house: its people are those of here.
  if (house.id === (await ownHouse(db)).id) return madeUnder(db, name, name);
  // One at a time: of two sheets at once the second finds the guest of the first.
  await db.execute(sql`select pg_advisory_xact_lock(hashtext('flagstone guests'))`);
  const of = house.name === '' ? house.id.slice(0, 8) : house.name;
  const wanted = `${name} (${of})`;
  // Two houses may have one name, and somebody here may be called like the guest. One who was a guest of this house before is so again.
  const { rows } = await db.execute<{ taken: boolean }>(sql`
    select p.account is not null or exists (select from house_people h where h.person_id = p.id and h.house_id <> ${house.id}::uuid) as taken
    from people p where p.name = ${wanted}`);
  const id = await madeUnder(db, rows[0]?.taken ? `${wanted} ${house.id.slice(0, 8)}` : wanted, name);
  await db.insert(housePeople).values({ houseId: house.id, name, personId: id, isGuest: true }).onConflictDoNothing();
  return id;
}

async function madeUnder(db: Queryable, name: string, called: string): Promise<number> {
  const { rows } = await db.execute<{ id: number }>(sql`
    insert into people (name, initials) values (${name}, ${initialsOf(called)}) on conflict (name) do update set name = excluded.name returning id`);
  const [row] = rows;
  if (!row) throw new AppError('INTERNAL', 'The guest could not be made.');
  return row.id;
}
