import path from 'node:path';
import { Readable, type Writable } from 'node:stream';
import {
  copyOutSchema,
  type CopyOut,
  type CopyOutSize,
  type copyOutToFolderSchema,
} from '@flagstone/contract/copy-out';
import type { Job } from '@flagstone/contract/jobs';
import type { SoundRow } from '@flagstone/contract/record';
import type { CopyState } from '@flagstone/core/record/copy-states';
import { parseSlices } from '@flagstone/core/record/marks';
import type { TryOut } from '@flagstone/core/audio/try-out/try-out';
import { AppError, type ErrorCode } from '@flagstone/core/errors';
import { freeName, legalText, nameKey, splitExtension } from '@flagstone/core/naming/name-blocks';
import { and, eq, sql } from 'drizzle-orm';
import type { z } from 'zod';
import type { AppContext } from '../app-context.ts';
import type { Sight } from '../rights/rights.ts';
import { seenOf, type Seen } from '../rights/seen.ts';
import { copiesOut, copyOutTickets } from '../db/finding-schema.ts';
import type { Queryable } from '../db/connect.ts';
import { copies, records } from '../db/schema.ts';
import { diskError } from '../disk/disk-errors.ts';
import { refuseWhenFull } from '../disk/free-space.ts';
import type { Contents } from '../disk/keep-file.ts';
import type { FrameRange } from '../disk/read-samples.ts';
import { copyThatIsHere } from '../listening/analyses.ts';
import { exportOf } from '../listening/listening.ts';
import { placesSeen } from '../intake/read-folders.ts';
import type { LicenceOf } from '../describing/licences.ts';
import { licencesOfEntries, licencesTold } from './licences-told.ts';
import { entriesOf, pullList } from './pull-lists.ts';
import { StoredZip, streamOf } from './stored-zip.ts';
import { allOf } from '../db/sql-parts.ts';
import { COPY_STATE } from '../records/copy-state.ts';
import { selectedRows, selectionParts } from '../records/sound-rows.ts';

/** By whom something is copied out, who sees what. */
type Asked = Required<Seen>;

/** One file to be made: a sound as its file stands, or a part of it, or what was tried out with it. */
export interface OutFile {
  soundId: number;
  /** Below the folder that it goes to, `/` between parts; no two are alike. */
  path: string;
  part: FrameRange | null;
  tryOut: TryOut;
}

/** The files that are to be copied out, with a name of its own for each. */
export async function* filesOut(app: AppContext, request: CopyOut & Seen): AsyncGenerator<OutFile> {
  const { what, tree } = request;
  const taken = new Set<string>();
  const countersIn = new Map<string, Map<string, number>>();
  for await (const { row, name, part, tryOut } of namedParts(app, what, request)) {
    const folder = tree ? [row.driveName, ...row.folder.split('/')].map(folderName).filter(Boolean).join('/') : '';
    const inFolder = (file: string): string => (folder === '' ? file : `${folder}/${file}`);
    const counters = countersIn.get(folder) ?? new Map<string, number>();
    countersIn.set(folder, counters);
    const free = freeName(name, (key) => taken.has(inFolder(key)), counters);
    taken.add(inFolder(nameKey(free)));
    yield { soundId: row.soundId, path: inFolder(free), part, tryOut };
  }
}

/** A folder's name that is legal everywhere, and never leads up. */
function folderName(name: string): string {
  return legalText(name).replace(/^\.+$/, '');
}

export interface NamedPart {
  row: SoundRow;
  name: string;
  part: FrameRange | null;
  tryOut: TryOut;
}

/** What is copied out, each with the name that it would have by itself. */
export async function* namedParts(app: AppContext, what: CopyOut['what'], seen: Seen): AsyncGenerator<NamedPart> {
  if (what.kind === 'list') {
    for (const { row, part, tryOut } of await entriesOf(app, what.listId, seen.seenBy)) {
      const base = splitExtension(row.name).base;
      const changed = tryOut?.some(({ on }) => on) ?? false;
      const name = changed ? `${base} tried out.wav` : part ? `${base} part.wav` : row.name;
      yield { row, name, part, tryOut: tryOut ?? [] };
    }
    return;
  }
  for await (const rows of selectedRows(app.db, { ...what.selection, ...seenOf(seen) }))
    for (const row of rows) {
      const slices = what.cut === 'slices' ? parseSlices(row.record.slices) : [];
      if (slices.length === 0) yield { row, name: row.name, part: null, tryOut: [] };
      const { base } = splitExtension(row.name);
      const digits = String(slices.length).length;
      for (const [index, { from, to, name }] of slices.entries()) {
        const own = legalText(name) || String(index + 1).padStart(digits, '0');
        yield { row, name: `${base} ${own}.wav`, part: { from, to }, tryOut: [] };
      }
    }
}

/**
 * What is to be copied out: a file as it stands, or with its record for the copy alone, or a part or a try-out that was made. Throws FILE_VANISHED and what reading throws.
 */
export async function sourceOf(
  app: AppContext,
  { soundId, part, tryOut }: OutFile,
  { sight, withRecord }: { sight: Sight; withRecord: boolean },
  signal: AbortSignal,
): Promise<Contents> {
  if (part || tryOut.some(({ on }) => on)) return exportOf(app, soundId, sight, part, tryOut, signal);
  const { path: full } = await copyThatIsHere(app, sql`${copies.soundId} = ${soundId}`, sight);
  if (!withRecord) return { path: full };
  const [record] = await app.db.select().from(records).where(eq(records.soundId, soundId));
  return { path: full, record };
}

/** What keeps a record out of a copy, and not the copy from being made. */
const NOT_CARRIED: readonly ErrorCode[] = [
  'FORMAT_NOT_WRITABLE',
  'OUTGROWS_CONTAINER',
  'CHUNK_TOO_LARGE',
  'FORMAT_DAMAGED',
];

/** Copies, by `copy`, with the record where the file can carry one, else as the file is; then `tell` hears why. */
export async function withRecordIfPossible<Value>(
  contents: Contents,
  copy: (contents: Contents) => Promise<Value>,
  tell: (why: AppError) => void,
): Promise<Value> {
  try {
    return await copy(contents);
  } catch (error) {
    if (!('path' in contents) || !contents.record || !(error instanceof AppError) || !NOT_CARRIED.includes(error.code))
      throw error;
    const value = await copy({ path: contents.path });
    tell(new AppError(error.code, `The copy does not carry its record: ${error.message}`, { cause: error }));
    return value;
  }
}

/** How many files would be copied out, and how large they are. */
export async function sizeOf(app: AppContext, { what, ...seen }: CopyOut & Seen): Promise<Omit<CopyOutSize, 'ticket'>> {
  if (what.kind === 'list') {
    await pullList(app, what.listId);
    const entries = await entriesOf(app, what.listId, seen.seenBy);
    const bytes = entries.reduce((sum, { row, part }) => sum + (part ? 0 : row.sizeBytes), 0);
    const so = (...states: CopyState[]): number => entries.filter(({ row }) => states.includes(row.state)).length;
    const licences = await licencesOfEntries(app.db, entries);
    return { files: entries.length, bytes, gone: so('gone'), behind: so('behind', 'split'), licences };
  }
  const { tables, conditions } = selectionParts({ ...what.selection, ...seenOf(seen) });
  // As the record keeps them: one slice a line.
  const slices =
    what.cut === 'slices'
      ? sql`case when r.slices = '' then 0 else array_length(string_to_array(r.slices, chr(10)), 1) end`
      : sql`0`;
  const { rows } = await app.db.execute<{ files: number; bytes: number; gone: number; behind: number }>(sql`
    select coalesce(sum(greatest(1, slices)), 0)::int as files, coalesce(sum(size_bytes) filter (where slices = 0), 0)::float8 as bytes,
      count(*) filter (where gone) as gone, count(*) filter (where state in ('behind', 'split')) as behind
    from (select ${slices} as slices, c.size_bytes, c.gone, ${COPY_STATE} as state from ${tables} where ${allOf(conditions)}) chosen`);
  const { rows: said } = await app.db.execute<LicenceOf & { sounds: number } & Record<string, unknown>>(sql`
    select min(r.licence) as licence, min(r.licence_url) as "licenceUrl", count(distinct r.sound_id)::int as sounds from ${tables} where ${allOf(conditions)}
    group by lower(r.licence), case when r.licence = '' then r.licence_url else '' end order by 3 desc limit 200`);
  const size = rows[0] ?? { files: 0, bytes: 0, gone: 0, behind: 0 };
  return { ...size, licences: await licencesTold(app.db, said) };
}

/** Time to live of a ticket: the browser asks for the file at once. */
const TICKET_AGE = sql.raw("interval '1 hour'");
/** The oldest are evicted beyond so many: a ticket holds a selection, which may be large. */
const MOST_TICKETS = 100;

/** A ticket by which a browser fetches a ZIP file by its address alone, from whichever process of the server. It is good once. */
export async function ticketFor(app: AppContext, request: CopyOut, personId: number): Promise<string> {
  const newest = sql`select id from copy_out_tickets order by created_at desc limit ${MOST_TICKETS - 1}`;
  await app.db
    .delete(copyOutTickets)
    .where(sql`${copyOutTickets.createdAt} < now() - ${TICKET_AGE} or ${copyOutTickets.id} not in (${newest})`);
  const [ticket] = await app.db.insert(copyOutTickets).values({ request, personId }).returning();
  if (!ticket) throw new AppError('INTERNAL', 'The ticket for the ZIP file could not be recorded.');
  return ticket.id;
}

/** What a ticket was given for, to the person to whom it was given, once. Throws NOT_FOUND. */
export async function redeem(app: AppContext, ticket: string, personId: number): Promise<CopyOut> {
  const own = and(eq(copyOutTickets.id, ticket), eq(copyOutTickets.personId, personId));
  const good = and(own, sql`${copyOutTickets.createdAt} >= now() - ${TICKET_AGE}`);
  const [found] = await app.db.delete(copyOutTickets).where(good).returning();
  if (!found) throw new AppError('NOT_FOUND', 'This ZIP file was fetched already, or an hour ago. Ask for it anew.');
  return copyOutSchema.parse(found.request);
}

/** Queues copying out into a folder. Throws what the check of a folder throws, and NOT_ALLOWED for one of a collection in which somebody is no librarian: it would be read in there. */
export async function copyOutToFolder(
  app: AppContext,
  { person, seenBy, ...request }: z.infer<typeof copyOutToFolderSchema> & Asked,
  librarianIn: Sight,
): Promise<Job> {
  const folder = await app.roots.checkedFolder(request.folder);
  if (!(await placesSeen(app, librarianIn))(folder))
    throw new AppError('NOT_ALLOWED', 'This folder belongs to a collection in which you are no librarian.');
  const { files, bytes } = await sizeOf(app, { ...request, person, seenBy });
  if (files === 0) throw new AppError('NOTHING_SELECTED', 'There is nothing to copy out.');
  await refuseWhenFull(folder, bytes);
  const title = `Copy ${files === 1 ? '1 sound' : `${files.toLocaleString('en')} sounds`} to ${path.basename(folder)}`;
  return app.jobs.add(
    {
      kind: 'copyOut',
      title,
      payload: { request: { ...request, folder } },
      lanes: [`copy out ${folder}`],
      collectionIds: [],
    },
    person,
  );
}

/** Notes that sounds were used. */
export async function noteUses(db: Queryable, { soundIds, ...use }: Uses): Promise<void> {
  if (soundIds.length > 0) await db.insert(copiesOut).values(soundIds.map((soundId) => ({ soundId, ...use })));
}

/** Sounds that went out together: to a folder, or as a ZIP file (then it is empty), and for which delivery, if for one. */
export interface Uses {
  soundIds: readonly number[];
  personId: number;
  folder: string;
  delivery: string;
}

/** What the list in a ZIP file is called that names the files which could not be copied, or not with their records. */
const LEFT_OUT = 'LEFT OUT.txt';

/**
 * Writes the files as a ZIP file (APPNOTE.TXT, with ZIP64 where it is needed), one after another and stored as they are: audio is hardly made smaller. What
 * cannot be read is named in a list within it, and the rest goes on.
 */
export async function writeZip(
  app: AppContext,
  request: CopyOut & Asked,
  out: Writable,
  signal: AbortSignal,
): Promise<void> {
  const zip = await StoredZip.into(out, signal);
  const leftOut: string[] = [];
  for await (const file of filesOut(app, request)) {
    signal.throwIfAborted();
    const { seenBy: sight, withRecord } = request;
    const contents = await sourceOf(app, file, { sight, withRecord }, signal)
      .then((source) =>
        withRecordIfPossible(source, streamOf, (why) => leftOut.push(`${file.path}: ${why.message} ${why.remedy}`)),
      )
      .catch((error: unknown) => diskError(error, file.path));
    if (contents instanceof AppError) {
      leftOut.push(`${file.path}: ${contents.message} ${contents.remedy}`);
      continue;
    }
    await zip.add(contents, file.path);
    await noteUses(app.db, { soundIds: [file.soundId], personId: request.person, folder: '', delivery: '' });
  }
  if (leftOut.length > 0) await zip.add(Readable.from([`${leftOut.join('\r\n')}\r\n`]), LEFT_OUT);
  await zip.finish();
}
