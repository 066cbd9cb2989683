import { AppError } from '@flagstone/core/errors';
import { z } from 'zod';

/** The form of backups that this version writes; a later one may add to it under the same number, and changes it under the next. */
const FORM = 1;
export const MANIFEST = 'manifest.json';
export const DUMP = 'database.dump';
/** The same, encrypted with a pass phrase in the age format, version 1 (C2SP, age-encryption.org/v1). */
export const ENCRYPTED_DUMP = `${DUMP}.age`;
/** Larger ones are none of ours. */
export const MOST_MANIFEST_BYTES = 1024 * 1024;

const tableSchema = z.object({
  rows: z.number().int().min(0),
  /** A sum over the hashes of all rows, whatever their order. */
  digest: z.string().max(100),
});
export type TableDigests = Record<string, z.infer<typeof tableSchema>>;

export const manifestSchema = z.object({
  form: z.number().int().min(1),
  version: z.string().max(100),
  madeAt: z.iso.datetime(),
  /** PostgreSQL's own number: 170005 is 17.5. */
  postgres: z.number().int(),
  file: z.enum([DUMP, ENCRYPTED_DUMP]),
  bytes: z.number().int().min(0),
  /** Of the file as it lies there, SHA-256. */
  sha256: z.string().regex(/^[0-9a-f]{64}$/),
  tables: z.record(z.string().max(200), tableSchema),
  /** Whether it was restored into a database of its own and found to be the same. */
  verifiedAt: z.iso.datetime().nullable(),
});
export type Manifest = z.infer<typeof manifestSchema>;

export const newManifest = (rest: Omit<Manifest, 'form'>): Manifest => ({ form: FORM, ...rest });

/** Reads a manifest. Throws BACKUP_INVALID, and BACKUP_TOO_NEW for one of a later version. */
export function parseManifest(text: string, shown: string): Manifest {
  const parsed = manifestSchema.safeParse(jsonOf(text));
  const form = z.object({ form: z.number() }).safeParse(jsonOf(text));
  if (form.success && form.data.form > FORM)
    throw new AppError('BACKUP_TOO_NEW', `${shown} was made by a later version of Flagstone (form ${form.data.form}).`);
  if (!parsed.success) {
    const [issue] = parsed.error.issues;
    throw new AppError(
      'BACKUP_INVALID',
      `${shown} is no manifest of a backup: ${issue?.path.join('.')} ${issue?.message}`,
    );
  }
  return parsed.data;
}

function jsonOf(text: string): unknown {
  try {
    return JSON.parse(text);
  } catch {
    return undefined;
  }
}
