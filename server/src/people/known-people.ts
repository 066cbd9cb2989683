import { AppError } from '@flagstone/core/errors';
import type { DemoPerson, Person, SignedIn } from '@flagstone/contract/people';
import { asc, eq } from 'drizzle-orm';
import type { Database, Queryable } from '../db/connect.ts';
import { people } from '../db/schema.ts';

const PERSON = { id: people.id, name: people.name, initials: people.initials };

/** Everybody by whom something may have been done, in the order in which they came. */
export function knownPeople(db: Queryable): Promise<Person[]> {
  return db.select(PERSON).from(people).orderBy(asc(people.id));
}

/** Who is signed in. Throws SIGN_IN_REQUIRED for a person who is not known any more. */
export async function signedIn(db: Queryable, personId: number): Promise<SignedIn> {
  const [person] = await db
    .select({ ...PERSON, isAdministrator: people.isAdministrator })
    .from(people)
    .where(eq(people.id, personId));
  if (!person) throw new AppError('SIGN_IN_REQUIRED', 'Nobody is signed in here.');
  return person;
}

/** The made-up people of the demo. */
const DEMO_PEOPLE = [
  { name: 'Orla Venn', initials: 'OV', isAdministrator: true, does: 'effects librarian, administrator' },
  { name: 'Tobias Reed', initials: 'TR', isAdministrator: false, does: 'assistant librarian' },
  { name: 'Mirela Quist', initials: 'MQ', isAdministrator: false, does: 'effects editor' },
  { name: 'Bram Oyelaran', initials: 'BO', isAdministrator: false, does: 'director, who listens' },
];

/** Makes the people of the demo where they are not there yet. */
export async function addDemoPeople(db: Database): Promise<DemoPerson[]> {
  return db.transaction(async (tx) => {
    const added: DemoPerson[] = [];
    for (const { does, ...person } of DEMO_PEOPLE) {
      await tx.insert(people).values(person).onConflictDoNothing();
      const [kept] = await tx.select(PERSON).from(people).where(eq(people.name, person.name));
      if (kept) added.push({ id: kept.id, name: kept.name, does });
    }
    await tx.update(people).set({ isAdministrator: true }).where(eq(people.name, 'Orla Venn'));
    return added;
  });
}
