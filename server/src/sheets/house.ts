import { createPrivateKey, createPublicKey, generateKeyPairSync, sign, verify, type KeyObject } from 'node:crypto';
import { AppError } from '@flagstone/core/errors';
import type { SheetManifest } from '@flagstone/contract/change-sheet';
import { eq, isNull, and } from 'drizzle-orm';
import type { Queryable } from '../db/connect.ts';
import { installation } from '../db/schema.ts';
import { knownHouses } from '../db/sheets-schema.ts';

/** This house, as other houses know it. */
export interface House {
  id: string;
  name: string;
  /** SubjectPublicKeyInfo in base64. */
  publicKey: string;
  privateKey: KeyObject;
}

/** This house with the key that its sheets are signed with, which is made when it is first needed. */
export async function ownHouse(db: Queryable): Promise<House> {
  const [first] = await db.select().from(installation);
  if (first && !first.signingKey) {
    const { privateKey } = generateKeyPairSync('ed25519');
    const signingKey = privateKey.export({ format: 'der', type: 'pkcs8' });
    // Of two who make one at once the first one's stays.
    await db
      .update(installation)
      .set({ signingKey })
      .where(and(eq(installation.id, first.id), isNull(installation.signingKey)));
  }
  const [row] = first?.signingKey ? [first] : await db.select().from(installation);
  if (!row?.signingKey) throw new AppError('INTERNAL', 'The key for change sheets could not be made.');
  const privateKey = createPrivateKey({ key: row.signingKey, format: 'der', type: 'pkcs8' });
  const publicKey = createPublicKey(privateKey).export({ format: 'der', type: 'spki' }).toString('base64');
  return { id: row.houseId, name: row.houseName, publicKey, privateKey };
}

/** What this house is called where its sheets are read. */
export async function houseName(db: Queryable): Promise<{ id: string; name: string }> {
  const { id, name } = await ownHouse(db);
  return { id, name };
}

/** Names this house. */
export async function nameHouse(db: Queryable, name: string): Promise<{ id: string; name: string }> {
  await db.update(installation).set({ houseName: name });
  return houseName(db);
}

/** The Ed25519 signature (RFC 8032) of a manifest's bytes, in base64. */
export function signatureOf({ privateKey }: House, manifest: Buffer): string {
  return sign(null, manifest, privateKey).toString('base64');
}

/**
 * Whether a manifest is signed by the house that it names: by the key that is known of it, by a first one, or by nobody. Throws SHEET_TAMPERED for a signature that does not
 * fit, for another key than the house had before, and for none where it had one.
 */
export async function signedBy(
  db: Queryable,
  { house }: SheetManifest,
  bytes: Buffer,
  signature: string | undefined,
): Promise<'known' | 'new' | 'nobody'> {
  const [known] = await db.select().from(knownHouses).where(eq(knownHouses.id, house.id));
  if (house.publicKey === null || signature === undefined) {
    if (known)
      throw new AppError(
        'SHEET_TAMPERED',
        `The sheet says that it comes from “${known.name}”, whose sheets are signed, and is not.`,
      );
    return 'nobody';
  }
  if (!fits(house.publicKey, bytes, signature))
    throw new AppError(
      'SHEET_TAMPERED',
      'The signature of the sheet does not fit what it says: it was changed after it was made.',
    );
  if (known && known.publicKey !== house.publicKey)
    throw new AppError(
      'SHEET_TAMPERED',
      `The sheet says that it comes from “${known.name}”, and is signed by another key than the sheets before.`,
    );
  return known ? 'known' : 'new';
}

function fits(publicKey: string, bytes: Buffer, signature: string): boolean {
  try {
    const key = createPublicKey({ key: Buffer.from(publicKey, 'base64'), format: 'der', type: 'spki' });
    return key.asymmetricKeyType === 'ed25519' && verify(null, bytes, key, Buffer.from(signature, 'base64'));
  } catch {
    // No key at all.
    return false;
  }
}

/** Remembers the key of a house whose sheet was applied for the first time. */
export async function rememberHouse(db: Queryable, { house }: SheetManifest): Promise<void> {
  if (house.publicKey === null) return;
  await db
    .insert(knownHouses)
    .values({ id: house.id, name: house.name, publicKey: house.publicKey })
    .onConflictDoNothing();
}
