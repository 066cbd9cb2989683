import { COPY_STATE_NAMES } from '@flagstone/core/record/copy-states';
import {
  FIELD_NAMES,
  FIELDS,
  type FieldDefinition,
  type FieldName,
  type SoundRecord,
} from '@flagstone/core/record/fields';
import { z } from 'zod';
import { changeSchema } from './changes.ts';
import { as, endpoint, idParams } from './endpoint.ts';
import { soundMarkSchema } from './marks.ts';
import { proposalSchema } from './proposal.ts';
import { selectionSchema } from './selection.ts';

const MAX_TEXT = 20_000;
const MAX_KEYWORDS = 500;
/** Ten thousand marks with short names. */
const MAX_MARKS_TEXT = 400_000;

/** What a field may be set to. */
function fieldSchema(field: FieldDefinition): z.ZodType {
  if (field.kind === 'list') return z.array(z.string().max(MAX_TEXT)).max(MAX_KEYWORDS);
  if (field.kind === 'integer' || field.kind === 'number') return z.number().nullable();
  return z.string().max(field.kind === 'marks' ? MAX_MARKS_TEXT : MAX_TEXT);
}

/** What a field may say: a file may hold more than anybody types, and keywords of many people add up. One such record must not hide its list. */
function saidSchema({ kind }: FieldDefinition): z.ZodType {
  if (kind === 'list') return z.array(z.string());
  return kind === 'integer' || kind === 'number' ? z.number().nullable() : z.string();
}

/** The record of a sound, made from core's table of fields. */
export const recordSchema = z.object(
  Object.fromEntries(FIELDS.map((field) => [field.name, saidSchema(field)])),
) as unknown as z.ZodType<SoundRecord>;

/** A change to one or many records; core's applyEdit says what it means. */
export const recordEditSchema = z.strictObject({
  set: (
    z.strictObject(
      Object.fromEntries(FIELDS.map((field) => [field.name, fieldSchema(field).nullable().optional()])),
    ) as unknown as z.ZodType<{
      [Name in FieldName]?: SoundRecord[Name] | null;
    }>
  ).optional(),
  addKeywords: z.array(z.string().max(MAX_TEXT)).max(MAX_KEYWORDS).optional(),
  removeKeywords: z.array(z.string().max(MAX_TEXT)).max(MAX_KEYWORDS).optional(),
});

export const copyStateSchema = z.enum(COPY_STATE_NAMES);
export type CopyState = z.infer<typeof copyStateSchema>;

export const issueSchema = z.object({ code: z.string(), message: z.string(), offsetBytes: z.number().optional() });

export const factsSchema = z.object({
  container: z.string(),
  codec: z.string(),
  sampleRateHz: z.number(),
  bitDepth: z.number(),
  channels: z.number(),
  frames: z.number(),
  durationSeconds: z.number(),
  /** What the file calls its channels, in their order; empty where it does not say. */
  trackNames: z.array(z.string()),
  /** The file ends before its audio does. */
  isCutShort: z.boolean(),
});

/** One row of a list of sounds: in a batch a row is a copy, in the catalogue a sound with its first copy. */
export const soundRowSchema = z.object({
  soundId: z.number(),
  copyId: z.number(),
  name: z.string(),
  folder: z.string(),
  driveId: z.string(),
  driveName: z.string(),
  sizeBytes: z.number(),
  facts: factsSchema,
  record: recordSchema,
  revision: z.number(),
  state: copyStateSchema,
  /** A proof found that this file does not hold its audio any more. */
  isDamaged: z.boolean(),
  copyCount: z.number(),
  /** The collection of this copy; null for one in no folder that was read. */
  collectionId: z.number().nullable(),
  filed: z.boolean(),
  issues: z.array(issueSchema),
  /** Fields whose places in the file do not say the same. */
  disagreeing: z.array(z.enum(FIELD_NAMES)),
  /** The measures that lists show; null until the sound was measured, or where that failed. */
  measured: z
    .object({ loudnessLufs: z.number().nullable(), truePeakDbtp: z.number().nullable(), channelLayout: z.string() })
    .nullable(),
  /** What people think of it. */
  marks: z.array(soundMarkSchema),
  /** What assistants would have it say, until a librarian decides. */
  proposals: z.array(proposalSchema),
  /** How many remarks there are on the sound. */
  remarks: z.number(),
  /** The best of the other sounds in the catalogue that hold the same recording in another form, and how it compares; null where none is known. */
  heldAs: z
    .object({ soundId: z.number(), quality: z.enum(['better', 'worse', 'alike']), isCertain: z.boolean() })
    .nullable(),
  /** How often it was put in a pull list or copied out. */
  uses: z.number(),
});
export type SoundRow = z.infer<typeof soundRowSchema>;

export const copySchema = z.object({
  copyId: z.number(),
  driveName: z.string(),
  folder: z.string(),
  name: z.string(),
  /** Where it lies, or lay when its drive was last here, on the machine that the drive belongs to. */
  fullPath: z.string(),
  sizeBytes: z.number(),
  container: z.string(),
  state: copyStateSchema,
  isDamaged: z.boolean(),
  issues: z.array(issueSchema),
});
export type CopyDetail = z.infer<typeof copySchema>;

export const revisionSchema = z.object({
  revision: z.number(),
  person: z.string(),
  at: z.string(),
  kind: z.string(),
  summary: z.string(),
  before: z.record(z.string(), z.unknown()),
  after: z.record(z.string(), z.unknown()),
});
export type Revision = z.infer<typeof revisionSchema>;
/** A revision of the same sound's record in another house, as that house told it. */
export const toldRevisionSchema = revisionSchema.extend({ house: z.string() });
export type ToldRevision = z.infer<typeof toldRevisionSchema>;

/** What the sounds of a selection say in each field: different values, and the most frequent of them. Fields that are empty in all are left out. */
export const fieldValuesSchema = z.object({
  sounds: z.number(),
  fields: z.partialRecord(
    z.enum(FIELD_NAMES),
    z.object({
      distinct: z.number(),
      /** Sounds in which the field is not empty; of keywords, how many there are in all. */
      filled: z.number(),
      values: z.array(z.object({ value: z.string(), times: z.number() })),
    }),
  ),
});
export type FieldValues = z.infer<typeof fieldValuesSchema>;

const SNAPSHOT = /^\d{1,18}:\d{1,18}:(\d{1,18}(,\d{1,18})*)?$/;

/** Whether a text is a snapshot, its numbers in their order, without which PostgreSQL does not read it. */
function isSnapshot(text: string): boolean {
  if (!SNAPSHOT.test(text)) return false;
  const [least = 0n, end = 0n, ...within] = text.split(/[:,]/).filter(Boolean).map(BigInt);
  const ascends = within.every((each, at) => each < end && each >= least && each > (within[at - 1] ?? 0n));
  return least > 0n && least <= end && ascends;
}

/**
 * What was known of records when an edit was decided: the revision of those that were on show, and of all others the state of the database that the list was read
 * from. What somebody else changed in the same field since is not overwritten.
 */
export const asOfSchema = z.strictObject({
  revisions: z
    .array(z.strictObject({ soundId: z.number().int().positive(), revision: z.number().int().positive() }))
    .max(2000)
    .default([]),
  /** A snapshot of PostgreSQL, as a list's page told it. */
  snapshot: z.string().max(4000).refine(isSnapshot, 'is no snapshot').optional(),
});
export type AsOf = z.infer<typeof asOfSchema>;

/** A field that two changed at once: what somebody else made of it since, and what was to be saved. */
export const editConflictSchema = z.object({
  soundId: z.number(),
  /** The record's, with what they made of it. */
  revision: z.number(),
  field: z.enum(FIELD_NAMES),
  theirs: z.unknown(),
  mine: z.unknown(),
  person: z.string(),
  at: z.string(),
});
export type EditConflict = z.infer<typeof editConflictSchema>;

/** Rows of a list, and where the next ones begin. */
export const soundPageSchema = z.object({
  rows: z.array(soundRowSchema),
  next: z.string().nullable(),
  /** How many there are in all, said with the first page. */
  total: z.number().nullable(),
  /** The total is in proportion to a sample. */
  isApproximate: z.boolean(),
  /** The state of the database that the rows are of, for edits of what is not on show: see asOfSchema. */
  snapshot: z.string(),
});
export type SoundPage = z.infer<typeof soundPageSchema>;

export const recordEndpoints = {
  getSound: endpoint('GET', '/sounds/:id', {
    needs: as('listener', 'sound'),
    params: idParams,
    response: z.object({
      row: soundRowSchema,
      copies: z.array(copySchema),
      revisions: z.array(revisionSchema),
      toldRevisions: z.array(toldRevisionSchema),
    }),
  }),
  /** What the selected sounds say in each field, for a card that edits many. */
  countValues: endpoint('POST', '/records/values', {
    needs: as('assistant', 'selection'),
    body: z.strictObject({ selection: selectionSchema }),
    response: fieldValuesSchema,
  }),
  /** Gives a record the values that it had with a revision; 1 is what was read first. A change of its own. */
  goBack: endpoint('POST', '/sounds/:id/go-back', {
    needs: as('assistant', 'sound'),
    params: idParams,
    body: z.strictObject({ revision: z.number().int().positive() }),
    response: changeSchema,
  }),
  editRecords: endpoint('PATCH', '/records', {
    needs: as('assistant', 'selection'),
    /** `asOf`: what was known as it was decided. A script that does not say overwrites. */
    body: z.strictObject({ selection: selectionSchema, edit: recordEditSchema, asOf: asOfSchema.optional() }),
    response: changeSchema,
  }),
  /** An edit for each row of its own, as one change: what was pasted from a spreadsheet, what was copied from one sound onto others. */
  editRows: endpoint('PATCH', '/rows', {
    needs: as('assistant', 'rows'),
    body: z.strictObject({
      summary: z.string().trim().min(1).max(200),
      edits: z
        .array(z.strictObject({ copyId: z.number().int().positive(), edit: recordEditSchema }))
        .min(1)
        .max(5000),
      asOf: asOfSchema.optional(),
    }),
    response: changeSchema,
  }),
};
