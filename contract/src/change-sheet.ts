import { FIELDS, type SoundRecord } from '@flagstone/core/record/fields';
import { z } from 'zod';

/** The form of a change sheet, version 1, as docs/change-sheet.md publishes it: a ZIP with these files, and those of sheet-parts.ts. */
export const SHEET_FORMAT = 'change sheet of sound records';
export const SHEET_VERSION = 1;
export const SHEET_FILES = {
  manifest: 'manifest.json',
  signature: 'manifest.sig',
  records: 'records.jsonl',
  table: 'records.csv',
} as const;

const sha256 = z.string().regex(/^[0-9a-f]{64}$/);

/** `manifest.json`: what the sheet is, who made it, and the digests of its other files. */
export const sheetManifestSchema = z.object({
  format: z.literal(SHEET_FORMAT),
  version: z.number().int().min(1),
  id: z.uuid(),
  house: z.object({
    id: z.uuid(),
    name: z.string().max(200),
    /** Ed25519 (RFC 8032), SubjectPublicKeyInfo (RFC 8410) in base64; null for a sheet without a signature. */
    publicKey: z.string().max(200).nullable(),
  }),
  madeAt: z.iso.datetime(),
  madeBy: z.string().max(200),
  forWhom: z.string().max(200),
  /** Whether it holds only what changed since the sheet before for the same people. */
  isUpdate: z.boolean(),
  sounds: z.number().int().min(0),
  files: z.array(z.object({ name: z.string().max(200), bytes: z.number().int().min(0), sha256 })).max(20),
});
export type SheetManifest = z.infer<typeof sheetManifestSchema>;

const valueSchema = z.union([z.string().max(100_000), z.number(), z.array(z.string().max(1000)).max(5000), z.null()]);

/** What fields of a record say, or said: those that this version knows, where their value is of the field's kind; `empty` where one may say that it is empty. */
const fieldsSchema = (empty: 'left out' | 'told') =>
  z.record(z.string().max(100), valueSchema).transform((said): Partial<SoundRecord> => {
    const known = FIELDS.flatMap(({ name, kind }): [string, unknown][] => {
      const value = said[name];
      const isNumber = kind === 'integer' || kind === 'number';
      const fits =
        kind === 'list'
          ? Array.isArray(value)
          : isNumber
            ? typeof value === 'number' || (value === null && empty === 'told')
            : typeof value === 'string';
      return fits ? [[name, value]] : [];
    });
    return Object.fromEntries(known);
  });
/** What a record says, by field; what a later version adds is left out. */
const recordSchema = fieldsSchema('left out');
/** What fields said before a change, or after it. */
export const changedFieldsSchema = fieldsSchema('told');

const name = z.string().max(1024);

/** One line of `records.jsonl`: a sound, known by its audio, with the names of its files and what its record says. */
export const sheetEntrySchema = z.object({
  sound: z.object({
    /** Of sampled blocks of the audio with its length and format, and of all of it; see docs/change-sheet.md. */
    quickDigest: z.string().max(200),
    fullDigest: z.string().max(200).nullable(),
    digestVersion: z.number().int(),
    codec: z.string().max(50),
    sampleRateHz: z.number().int().min(1),
    bitDepth: z.number().int().min(0),
    channels: z.number().int().min(1),
    frames: z.number().min(0),
    durationSeconds: z.number().min(0),
  }),
  /** By what the recording is known in another form, in base64; see docs/change-sheet.md. One that cannot be read is as none. */
  fingerprint: z.string().max(6000).optional().catch(undefined),
  names: z.object({ now: z.array(name).max(100), then: z.array(name).max(100) }),
  revision: z.number().int().min(1),
  record: recordSchema,
});
export type SheetEntry = z.infer<typeof sheetEntrySchema>;
