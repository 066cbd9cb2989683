import { z } from 'zod';
import { changedFieldsSchema } from './change-sheet.ts';
import { partSchema, tryOutSchema } from './listening.ts';
import { newRelationSchema } from './reading.ts';

/** What a change sheet may bring beside records: what people think of sounds, their pull lists, what was added to the thesaurus, and the histories of the records. */
export const SHEET_PARTS = ['marks', 'lists', 'words', 'histories'] as const;
export type SheetPart = (typeof SHEET_PARTS)[number];
export const sheetPartsSchema = z.array(z.enum(SHEET_PARTS)).max(SHEET_PARTS.length);

const text = (most: number) => z.string().trim().max(most);
const person = text(200).min(1);
/** A line of `records.jsonl`, from 1: the sound that is meant. */
const line = z.number().int().positive();
/** The house in which something was made, and its number there: the same for ever, through whichever houses it came. */
const homeSchema = z.object({ house: z.uuid(), number: z.number().int().positive() });
export type Home = z.infer<typeof homeSchema>;

export const markLineSchema = z.object({
  line,
  person,
  rating: z.number().int().min(1).max(5).nullable(),
  favourite: z.boolean(),
  tags: z.array(text(40).min(1)).max(5000),
  note: text(4000),
});
export type MarkLine = z.infer<typeof markLineSchema>;

export const listLineSchema = z.object({
  home: homeSchema,
  person,
  name: text(200).min(1),
  show: text(200),
  scene: text(200),
  notes: text(4000).default(''),
});
export type ListLine = z.infer<typeof listLineSchema>;

export const entryLineSchema = z.object({
  home: homeSchema,
  /** The list that it stands in. */
  list: homeSchema,
  line,
  person,
  part: partSchema.nullable(),
  /** Steps that a later version knows are as none. */
  tryOut: tryOutSchema.nullable().catch(null),
  comment: text(2000),
});
export type EntryLine = z.infer<typeof entryLineSchema>;

export const wordLineSchema = z.object(newRelationSchema.shape);
export type WordLine = z.infer<typeof wordLineSchema>;

export const historyLineSchema = z.object({
  line,
  revision: z.number().int().min(2),
  at: z.iso.datetime({ offset: true }),
  person,
  kind: text(50),
  summary: text(1000),
  before: changedFieldsSchema,
  after: changedFieldsSchema,
});
export type HistoryLine = z.infer<typeof historyLineSchema>;

/** The files of the parts, in the order in which they are read and applied, with the form of a line. */
export const PART_FILES = {
  words: { name: 'words.jsonl', part: 'words', schema: wordLineSchema },
  marks: { name: 'marks.jsonl', part: 'marks', schema: markLineSchema },
  lists: { name: 'pull-lists.jsonl', part: 'lists', schema: listLineSchema },
  entries: { name: 'pull-entries.jsonl', part: 'lists', schema: entryLineSchema },
  histories: { name: 'histories.jsonl', part: 'histories', schema: historyLineSchema },
} as const satisfies Record<string, { name: string; part: SheetPart; schema: z.ZodType }>;
export type PartFile = keyof typeof PART_FILES;
export const PART_FILE_NAMES = Object.keys(PART_FILES) as PartFile[];
