import { AppError } from '@flagstone/core/errors';
import type { Role } from '@flagstone/contract/roles';
import type { DemoPerson, Person, SignedIn } from '@flagstone/contract/people';
import { asc, eq, sql } from 'drizzle-orm';
import type { Database, Queryable } from '../db/connect.ts';
import { collections, people } from '../db/schema.ts';
import type { Asker } from './asker.ts';

const PERSON = { id: people.id, name: people.name, initials: people.initials };

/** Everybody by whom something may have been done, in the order in which they came. */
export function knownPeople(db: Queryable): Promise<Person[]> {
  const isHere = sql<boolean>`${people.account} is not null and ${people.endedAt} is null`;
  return db
    .select({ ...PERSON, isHere })
    .from(people)
    .orderBy(asc(people.id));
}

/** Who is signed in, and what they may do. Throws SIGN_IN_REQUIRED for a person who is not known any more. */
export async function signedIn(
  db: Queryable,
  { personId, rights }: Pick<Asker, 'personId' | 'rights'>,
): Promise<SignedIn> {
  const [person] = await db.select(PERSON).from(people).where(eq(people.id, personId));
  if (!person) throw new AppError('SIGN_IN_REQUIRED', 'Nobody is signed in here.');
  const roles = [...rights.roles].map(([collectionId, role]) => ({ collectionId, role }));
  return { ...person, isAdministrator: rights.isAdministrator, roles };
}

/** The made-up people of the demo. */
const DEMO_PEOPLE: { name: string; initials: string; role: Role; isAdministrator?: true; does: string }[] = [
  {
    name: 'Orla Venn',
    initials: 'OV',
    role: 'librarian',
    isAdministrator: true,
    does: 'effects librarian, administrator',
  },
  { name: 'Tobias Reed', initials: 'TR', role: 'assistant', does: 'assistant librarian' },
  { name: 'Mirela Quist', initials: 'MQ', role: 'editor', does: 'effects editor' },
  { name: 'Bram Oyelaran', initials: 'BO', role: 'listener', does: 'director, who listens' },
];

/** Makes the people of the demo where they are not there yet, each with their role in the collections that there are. */
export async function addDemoPeople(db: Database): Promise<DemoPerson[]> {
  return db.transaction(async (tx) => {
    const added: DemoPerson[] = [];
    for (const { does, role, ...person } of DEMO_PEOPLE) {
      const [isNew] = await tx.insert(people).values(person).onConflictDoNothing().returning({ id: people.id });
      const [kept] = await tx.select(PERSON).from(people).where(eq(people.name, person.name));
      if (!kept) continue;
      added.push({ id: kept.id, name: kept.name, does });
      await tx.execute(sql`
        insert into collection_people (collection_id, person_id, role) select id, ${kept.id}::int, ${role} from collections on conflict do nothing`);
      // Shown at the first start; whoever turns it off has it off.
      if (isNew && role === 'assistant') await tx.update(collections).set({ asksReview: true });
    }
    await tx.update(people).set({ isAdministrator: true }).where(eq(people.name, 'Orla Venn'));
    return added;
  });
}
