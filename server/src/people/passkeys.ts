import { isIP } from 'node:net';
import { AppError } from '@flagstone/core/errors';
import type { Passkey, PasskeyAnswer } from '@flagstone/contract/people';
import type {
  AuthenticationResponseJSON,
  AuthenticatorTransport,
  PublicKeyCredentialCreationOptionsJSON,
  PublicKeyCredentialRequestOptionsJSON,
  RegistrationResponseJSON,
} from '@simplewebauthn/server';
import { and, asc, eq, isNull, sql } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import type { Queryable } from '../db/connect.ts';
import { passkeyChallenges, passkeys } from '../db/people-schema.ts';
import { people } from '../db/schema.ts';
import { fromNow } from '../db/sql-parts.ts';
import type { Asker } from './asker.ts';
import { note, type Caller } from './audit-log.ts';
import { beginSession } from './sessions.ts';

/** By what name the browser reaches the server: a passkey holds for that name alone. */
export interface Site {
  /** Without the port. */
  name: string;
  origin: string;
}

type App = Pick<AppContext, 'db'>;
const CHALLENGE_LASTS_MS = 5 * 60_000;
/** Anybody may ask for one to sign in with. */
const MOST_CHALLENGES = 10_000;
const MOST_OF_A_PERSON = 30;

/** Web Authentication (W3C, Level 3) by a package that is loaded when it is needed: it brings readers of many kinds of certificates along. */
const webAuthn = () => import('@simplewebauthn/server');

/** What the browser has to know to make a passkey for whoever is signed in. Throws BAD_REQUEST where the server is reached by a number. */
export async function passkeyOptions(
  app: App,
  asker: Asker,
  site: Site,
): Promise<PublicKeyCredentialCreationOptionsJSON> {
  refuseNumbers(site);
  const own = await app.db.select().from(passkeys).where(eq(passkeys.personId, asker.personId));
  if (own.length >= MOST_OF_A_PERSON) throw new AppError('BAD_REQUEST', 'End a passkey that is used no more first.');
  const { generateRegistrationOptions } = await webAuthn();
  const options = await generateRegistrationOptions({
    rpName: 'Flagstone',
    rpID: site.name,
    userID: new TextEncoder().encode(`person ${asker.personId}`),
    userName: asker.name,
    userDisplayName: asker.name,
    excludeCredentials: own.map(({ credentialId, transports }) => ({
      id: credentialId,
      transports: transports as AuthenticatorTransport[],
    })),
    // Found without a name, and only after a finger, a face or a number: so it is two factors at once.
    authenticatorSelection: { residentKey: 'required', userVerification: 'required' },
    attestationType: 'none',
  });
  await keepChallenge(app.db, options.challenge, asker.personId);
  return options;
}

/** Keeps a passkey that the browser made. Throws PASSKEY_REFUSED. */
export async function keepPasskey(
  app: App,
  asker: Asker,
  { name, response }: { name: string; response: PasskeyAnswer },
  site: Site,
  caller: Caller,
): Promise<void> {
  const { verifyRegistrationResponse } = await webAuthn();
  const { registrationInfo } = await asked(() =>
    verifyRegistrationResponse({
      response: response as unknown as RegistrationResponseJSON,
      expectedChallenge: (challenge) => takeChallenge(app.db, challenge, asker.personId),
      expectedOrigin: site.origin,
      expectedRPID: site.name,
    }),
  );
  if (!registrationInfo) throw refused();
  const { id, publicKey, counter, transports = [] } = registrationInfo.credential;
  await app.db.transaction(async (tx) => {
    const kept = await tx
      .insert(passkeys)
      .values({
        credentialId: id,
        personId: asker.personId,
        publicKey: Buffer.from(publicKey),
        counter,
        transports,
        name,
      })
      .onConflictDoNothing()
      .returning({ id: passkeys.id });
    if (kept.length === 0) throw new AppError('CONFLICT', 'This passkey is known already.');
    await note(tx, { what: 'adds a passkey', about: name, by: by(asker), address: caller.address });
  });
}

/** What the browser has to know to sign somebody in by whichever passkey they choose. */
export async function signInOptions(app: App, site: Site): Promise<PublicKeyCredentialRequestOptionsJSON> {
  refuseNumbers(site);
  const { generateAuthenticationOptions } = await webAuthn();
  const options = await generateAuthenticationOptions({ rpID: site.name, userVerification: 'required' });
  await keepChallenge(app.db, options.challenge, null);
  return options;
}

/** Signs in by what a passkey signed; returns the secret of a new session. Throws PASSKEY_REFUSED. */
export async function signInByPasskey(app: App, response: PasskeyAnswer, site: Site, caller: Caller): Promise<string> {
  const [known] = await app.db
    .select({ passkey: passkeys, person: { id: people.id, name: people.name } })
    .from(passkeys)
    .innerJoin(people, and(eq(people.id, passkeys.personId), isNull(people.endedAt)))
    .where(eq(passkeys.credentialId, response.id));
  const { verifyAuthenticationResponse } = await webAuthn();
  const line = { what: 'signs in', about: 'by a passkey', by: known?.person, address: caller.address };
  try {
    if (!known) throw refused();
    const { passkey, person } = known;
    const { verified, authenticationInfo } = await asked(() =>
      verifyAuthenticationResponse({
        response: response as unknown as AuthenticationResponseJSON,
        expectedChallenge: (challenge) => takeChallenge(app.db, challenge, null),
        expectedOrigin: site.origin,
        expectedRPID: site.name,
        credential: {
          id: passkey.credentialId,
          publicKey: new Uint8Array(passkey.publicKey),
          counter: passkey.counter,
          transports: passkey.transports,
        },
      }),
    );
    if (!verified) throw refused();
    return await app.db.transaction(async (tx) => {
      const kept = await tx
        .update(passkeys)
        .set({ counter: authenticationInfo.newCounter, usedAt: new Date() })
        .where(eq(passkeys.id, passkey.id))
        .returning({ id: passkeys.id });
      // Ended while it was verified.
      if (kept.length === 0) throw refused();
      await note(tx, line);
      return beginSession(tx, person.id, caller);
    });
  } catch (error) {
    if (error instanceof AppError) await note(app.db, { ...line, refused: true });
    throw error;
  }
}

/** The passkeys of a person, by name. */
export async function passkeysOf(db: Queryable, personId: number): Promise<Passkey[]> {
  const rows = await db
    .select()
    .from(passkeys)
    .where(eq(passkeys.personId, personId))
    .orderBy(asc(passkeys.name), asc(passkeys.id));
  return rows.map(({ id, name, createdAt, usedAt }) => ({
    id,
    name,
    madeAt: createdAt.toISOString(),
    usedAt: usedAt?.toISOString() ?? null,
  }));
}

/** Ends a passkey of whoever asks. Throws NOT_FOUND. */
export async function endPasskey(app: App, asker: Asker, id: number, caller: Caller): Promise<void> {
  await app.db.transaction(async (tx) => {
    const [ended] = await tx
      .delete(passkeys)
      .where(and(eq(passkeys.id, id), eq(passkeys.personId, asker.personId)))
      .returning({ name: passkeys.name });
    if (!ended) throw new AppError('NOT_FOUND', 'There is no such passkey any more.');
    await note(tx, { what: 'ends a passkey', about: ended.name, by: by(asker), address: caller.address });
  });
}

/** Each challenge is answered once, within minutes, by the person for whom it was made. */
async function keepChallenge(db: Queryable, challenge: string, personId: number | null): Promise<void> {
  await db.execute(sql`delete from passkey_challenges where ends_at < now()`);
  const { rows } = await db.execute<{ many: boolean }>(
    sql`select count(*) >= ${MOST_CHALLENGES} as many from passkey_challenges`,
  );
  if (rows[0]?.many) throw new AppError('UNAVAILABLE', 'Too many people are signing in just now.');
  await db.insert(passkeyChallenges).values({ challenge, personId, endsAt: fromNow(CHALLENGE_LASTS_MS) });
}

async function takeChallenge(db: Queryable, challenge: string, personId: number | null): Promise<boolean> {
  const { rows } = await db.execute(sql`
    delete from passkey_challenges where challenge = ${challenge} and person_id is not distinct from ${personId} and ends_at > now()
    returning challenge`);
  return rows.length > 0;
}

/** What does not hold the package tells by errors of its own. */
async function asked<Value>(verify: () => Promise<Value>): Promise<Value> {
  try {
    return await verify();
  } catch (error) {
    if (error instanceof AppError) throw error;
    throw refused(error);
  }
}

function refused(cause?: unknown): AppError {
  return new AppError('PASSKEY_REFUSED', 'This passkey is not known here, or what it signed does not hold.', { cause });
}

const by = ({ personId, name }: Asker) => ({ id: personId, name });

/** Web Authentication, 5.1.2: a relying party has a name, never a number. */
function refuseNumbers({ name, origin }: Site): void {
  if (isIP(name.replace(/^\[|\]$/g, '')) !== 0)
    throw new AppError(
      'BAD_REQUEST',
      `Passkeys hold for a name, and ${name} is a number: open ${origin.replace(name, 'localhost')}.`,
    );
}
