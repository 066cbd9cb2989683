import { createHash, randomBytes } from 'node:crypto';

const SECRET_BYTES = 32;

/** A new secret for a cookie, a link or a token: 256 bits at random as letters that need no quoting anywhere. */
export function newSecret(): string {
  return randomBytes(SECRET_BYTES).toString('base64url');
}

/** What is kept of a secret. Plain SHA-256 is enough where the secret is random and as long as its digest; passwords are neither (passwords.ts). */
export function digestOf(secret: string): Buffer {
  return createHash('sha256').update(secret).digest();
}
