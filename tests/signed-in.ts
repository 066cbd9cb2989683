import type { Role } from '@flagstone/contract/roles';
import type { Database } from '@flagstone/server/db/connect';
import { sessions } from '@flagstone/server/db/people-schema';
import { collectionPeople, people } from '@flagstone/server/db/schema';
import { sql } from 'drizzle-orm';
import { digestOf } from '@flagstone/server/people/secrets';

const PEOPLE = [
  { name: 'Orla Venn', initials: 'OV', account: 'orla', isAdministrator: true },
  { name: 'Tobias Reed', initials: 'TR', account: 'tobias' },
];
const DAY_MS = 24 * 3_600_000;

const secretOf = (person: number): string => `session-of-person-${person}-in-tests`;

/** Makes the people of tests, each with a session whose secret is known, so that tests need not sign in first. */
export async function addTestPeople(db: Database): Promise<void> {
  const [endsAt, seenAt] = [new Date(Date.now() + DAY_MS), new Date()];
  for (const [at, person] of PEOPLE.entries()) {
    const { name, ...facts } = person;
    const [kept] = await db
      .insert(people)
      .values(person)
      .onConflictDoUpdate({ target: people.name, set: facts })
      .returning({ id: people.id });
    if (kept?.id !== at + 1) throw new Error(`${name} is person ${kept?.id}`);
    await db
      .insert(collectionPeople)
      .select(sql`select id, ${kept.id}::int, 'librarian' from collections`)
      .onConflictDoNothing();
    await db
      .insert(sessions)
      .values({
        digest: digestOf(secretOf(kept.id)),
        personId: kept.id,
        endsAt,
        browser: 'tests',
        address: '127.0.0.1',
      })
      .onConflictDoUpdate({ target: sessions.digest, set: { endsAt, seenAt } });
  }
}

/** The headers of a session, as the web application sends them. */
export const headersOf = (secret: string): Record<string, string> => ({
  Cookie: `flagstone-session=${secret}`,
  'X-Flagstone-Request': '1',
});

/** The headers of a person of tests. */
export const signedInAs = (person: number): Record<string, string> => headersOf(secretOf(person));

/** The secret of the session that an answer begins. */
export function sessionOf(answer: Response): string {
  const secret = /flagstone-session=([\w-]+)/.exec(answer.headers.get('set-cookie') ?? '')?.[1];
  if (secret === undefined) throw new Error(`no session began: ${answer.status}`);
  return secret;
}

/** Makes somebody with roles in collections, signed in; returns their headers. */
export async function addPersonWith(
  db: Database,
  name: string,
  roles: readonly { collectionId: number; role: Role }[],
): Promise<{ id: number; headers: Record<string, string> }> {
  const secret = `session-of-${name.replaceAll(' ', '-')}-in-tests`;
  const [person] = await db.insert(people).values({ name, initials: 'X' }).returning({ id: people.id });
  if (!person) throw new Error(`${name} was not made`);
  if (roles.length > 0)
    await db.insert(collectionPeople).values(roles.map((each) => ({ ...each, personId: person.id })));
  const endsAt = new Date(Date.now() + DAY_MS);
  await db
    .insert(sessions)
    .values({ digest: digestOf(secret), personId: person.id, endsAt, browser: 'tests', address: '127.0.0.1' });
  return { id: person.id, headers: headersOf(secret) };
}

/** Signs somebody of the demo in; returns their headers. */
export async function signInDemo(address: string, name: string): Promise<Record<string, string>> {
  const listed = (await (await fetch(`${address}/api/demo-people`)).json()) as { id: number; name: string }[];
  const person = listed.find((each) => each.name === name);
  const answer = await fetch(`${address}/api/demo-people/${person?.id}/sign-in`, {
    method: 'POST',
    headers: { 'Content-Type': 'application/json' },
    body: '{}',
  });
  return headersOf(sessionOf(answer));
}
