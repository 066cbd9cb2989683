import { randomUUID } from 'node:crypto';
import { createInterface } from 'node:readline';
import type { Readable, Writable } from 'node:stream';
import { finished, pipeline } from 'node:stream/promises';
import { AppError } from '@flagstone/core/errors';
import { FINGERPRINT_VERSION } from '@flagstone/core/audio/fingerprint/fingerprint';
import { FIELD_NAMES, filledFields } from '@flagstone/core/record/fields';
import { escapeFormula } from '@flagstone/core/text/spreadsheet-text';
import {
  SHEET_FILES,
  SHEET_FORMAT,
  SHEET_VERSION,
  type SheetEntry,
  type SheetManifest,
} from '@flagstone/contract/change-sheet';
import type { SoundRow } from '@flagstone/contract/record';
import type { SheetPart } from '@flagstone/contract/sheet-parts';
import { stringify } from 'csv-stringify';
import { desc, eq, max, sql, sum } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import { bulkInsert } from '../db/bulk-insert.ts';
import { inPages } from '../db/in-pages.ts';
import type { Database, Queryable } from '../db/connect.ts';
import { idList } from '../db/sql-parts.ts';
import { people } from '../db/schema.ts';
import { sheetsMade, sheetsSent } from '../db/sheets-schema.ts';
import { withScratchFolder, type ScratchFolder } from '../disk/scratch-folder.ts';
import { writeInto } from '../disk/write-into.ts';
import { rowsInOrder, selectedRows } from '../records/sound-rows.ts';
import { copyIsSeen, type SeenSelection } from '../rights/seen.ts';
import { ownHouse, signatureOf } from './house.ts';
import { markOfParts, PartWriter } from './make-parts.ts';

/** Sounds that are read at once. */
const PAGE = 500;
/** Beside the files of the sheet: which sounds it holds, and as what. */
const SENT = 'sent.jsonl';
/** Names of files that a line holds, of now and of before. */
const MOST_NAMES = 50;

interface Wanted {
  /** Or every sound that is known, also those in preparation. */
  selection: SeenSelection | 'everything';
  forWhom: string;
  /** Only what changed since the sheet before for the same people. */
  onlyChanged: boolean;
  /** What it brings beside the records. */
  parts: readonly SheetPart[];
}

/** A sheet that is made: its files, ready to be packed. */
interface Prepared {
  folder: ScratchFolder;
  manifest: Buffer;
  signature: string;
  names: string[];
  /** Notes that it was made, once it is delivered: then the next one for the same people holds what changed after it. */
  settle: () => Promise<void>;
  sounds: number;
}

/**
 * Makes a change sheet of a selection and writes it as a ZIP, page by page: a million sounds need no more memory than a thousand. Where to is asked once it can be sent: making
 * it may take minutes. Returns how many sounds it holds. Throws NOTHING_SELECTED where there is nothing to tell.
 */
export async function makeSheet(
  app: AppContext,
  wanted: Wanted,
  personId: number,
  open: () => Writable,
  signal: AbortSignal,
): Promise<number> {
  return withScratchFolder(async (folder) => {
    const prepared = await prepare(app, wanted, personId, folder, signal);
    await pack(prepared, open(), signal);
    await prepared.settle();
    return prepared.sounds;
  });
}

interface Sent {
  soundId: number;
  mark: string;
}

async function prepare(
  app: AppContext,
  wanted: Wanted,
  personId: number,
  folder: ScratchFolder,
  signal: AbortSignal,
): Promise<Prepared> {
  const { selection, forWhom, onlyChanged, parts } = wanted;
  const [person] = await app.db.select({ name: people.name }).from(people).where(eq(people.id, personId));
  const house = await ownHouse(app.db);
  const lines = folder.write(SHEET_FILES.records);
  const table = folder.write(SHEET_FILES.table);
  const cells = stringify({ header: true, columns: [...TABLE_COLUMNS], bom: true, record_delimiter: '\r\n' });
  const tabled = pipeline(cells, table.into);
  // Looked at when all is written; until then it must not count as unhandled.
  tabled.catch(() => undefined);
  const sent = folder.write(SENT);
  const beside = new PartWriter(app.db, folder, house.id, parts);
  let sounds = 0;
  for await (const page of pagesOf(app.db, selection)) {
    signal.throwIfAborted();
    const lineOf = new Map<number, number>();
    for (const { soundId, mark, entry } of await entriesOf(app.db, page, wanted)) {
      sounds += 1;
      lineOf.set(soundId, sounds);
      await writeInto(sent.into, `${JSON.stringify({ soundId, mark })}\n`);
      await writeInto(lines.into, `${JSON.stringify(entry)}\n`);
      await writeInto(cells, rowOf(entry));
    }
    await beside.addSounds(lineOf);
  }
  cells.end();
  lines.into.end();
  sent.into.end();
  await Promise.all([tabled, finished(lines.into), sent.facts()]);
  const besides = await beside.finish();
  if (sounds === 0)
    throw new AppError(
      'NOTHING_SELECTED',
      onlyChanged ? `Nothing changed since the last sheet for “${forWhom}”.` : 'The selection holds no sounds.',
    );
  const manifest: SheetManifest = {
    format: SHEET_FORMAT,
    version: SHEET_VERSION,
    id: randomUUID(),
    house: { id: house.id, name: house.name, publicKey: house.publicKey },
    madeAt: new Date().toISOString(),
    madeBy: person?.name ?? '',
    forWhom,
    isUpdate: onlyChanged,
    sounds,
    files: [
      { name: SHEET_FILES.records, ...(await lines.facts()) },
      { name: SHEET_FILES.table, ...(await table.facts()) },
      ...besides,
    ],
  };
  const bytes = Buffer.from(`${JSON.stringify(manifest, undefined, 2)}\n`);
  const settle = (): Promise<void> => noteMade(app.db, manifest, folder.read(SENT), personId);
  const names = manifest.files.map(({ name }) => name);
  return { folder, manifest: bytes, signature: signatureOf(house, bytes), names, settle, sounds };
}

/** The rows of a selection, each sound once. */
async function* pagesOf(db: Queryable, selection: Wanted['selection']): AsyncGenerator<SoundRow[]> {
  if (selection === 'everything') {
    yield* pagesOfAll(db);
    return;
  }
  const met = new Set<number>();
  for await (const page of selectedRows(db, selection, PAGE)) {
    const rows = page.filter(({ soundId }) => !met.has(soundId) && met.add(soundId));
    if (rows.length > 0) yield rows;
  }
}

/** The first copies of all sounds, by the numbers of these. */
async function* pagesOfAll(db: Queryable): AsyncGenerator<SoundRow[]> {
  for (let after = 0; ;) {
    const { rows } = await db.execute<{ id: number; sound_id: number }>(sql`
      select distinct on (sound_id) id, sound_id from copies where not gone and sound_id > ${after} order by sound_id, id limit ${PAGE}`);
    const last = rows.at(-1);
    if (!last) return;
    yield await rowsInOrder(
      db,
      'copies',
      rows.map(({ id }) => id),
      'all',
    );
    after = last.sound_id;
  }
}

interface SoundFacts extends Record<string, unknown> {
  id: number;
  quick_digest: string;
  full_digest: string | null;
  digest_version: number;
  print: Buffer | null;
  names: string[];
  earlier: string[];
  mark: string;
  sent: string | null;
}

async function entriesOf(
  db: Queryable,
  rows: readonly SoundRow[],
  { selection, forWhom, onlyChanged, parts }: Wanted,
): Promise<(Sent & { entry: SheetEntry })[]> {
  const ids = rows.map(({ soundId }) => soundId);
  const sight = selection === 'everything' ? 'all' : selection.seenBy;
  const { rows: found } = await db.execute<SoundFacts>(sql`
    select s.id, s.quick_digest, s.full_digest, s.digest_version, p.print, n.names, e.earlier, concat_ws(' ', r.revision, md5(n.names::text), nullif(${markOfParts(parts)}, '')) as mark, w.mark as sent
    from sounds s join records r on r.sound_id = s.id left join fingerprints p on p.sound_id = s.id and p.version = ${FINGERPRINT_VERSION}
    cross join lateral (select coalesce(array_agg(distinct c.name order by c.name), '{}') as names from copies c
      where c.sound_id = s.id and not c.gone and ${copyIsSeen(sight)}) n
    cross join lateral (select coalesce(array_agg(distinct j.before ->> 'name'), '{}') as earlier from copies c join journal j on j.copy_id = c.id
      join plans q on q.id = j.plan_id and (q.kind = 'rename' or j.after ->> 'does' = 'rename')
      where c.sound_id = s.id and j.state = 'done' and ${copyIsSeen(sight)}) e
    left join sheets_sent w on w.for_whom = ${forWhom} and w.sound_id = s.id
    where s.id = any(${idList(ids)})`);
  const factsOf = new Map(found.map((row) => [row.id, row]));
  return rows.flatMap((row) => {
    const facts = factsOf.get(row.soundId);
    if (!facts || (onlyChanged && facts.mark === facts.sent)) return [];
    const { codec, sampleRateHz, bitDepth, channels, frames, durationSeconds } = row.facts;
    // The name of the copy on show first: it is the one that is offered to others.
    const now = [...new Set([row.name, ...facts.names])].slice(0, MOST_NAMES);
    const entry: SheetEntry = {
      sound: {
        quickDigest: facts.quick_digest,
        fullDigest: facts.full_digest,
        digestVersion: facts.digest_version,
        codec,
        sampleRateHz,
        bitDepth,
        channels,
        frames,
        durationSeconds,
      },
      ...(facts.print ? { fingerprint: facts.print.toString('base64') } : {}),
      names: { now, then: facts.earlier.filter((name) => !now.includes(name)).slice(0, MOST_NAMES) },
      revision: row.revision,
      record: filledFields(row.record),
    };
    return [{ soundId: row.soundId, mark: facts.mark, entry }];
  });
}

const TABLE_COLUMNS = ['name', 'formerNames', 'audioDigest', ...FIELD_NAMES] as const;

/** A line for people, as a row of the table. Texts that a spreadsheet would run are marked. */
function rowOf({ names, sound, record }: SheetEntry): string[] {
  const texts = FIELD_NAMES.map((name) => {
    const value = record[name];
    return Array.isArray(value) ? value.join(', ') : String(value ?? '');
  });
  return [names.now[0] ?? '', names.then.join(' | '), sound.fullDigest ?? sound.quickDigest, ...texts].map(
    escapeFormula,
  );
}

async function pack(
  { folder, manifest, signature, names }: Prepared,
  out: Writable,
  signal: AbortSignal,
): Promise<void> {
  // Loaded when it is needed, as it is large.
  const { ZipArchive } = await import('archiver');
  const zip = new ZipArchive({ zlib: { level: 6 } });
  const stop = (): void => void zip.abort();
  signal.addEventListener('abort', stop, { once: true });
  const packed = pipeline(zip as unknown as Readable, out, { signal });
  zip.append(manifest, { name: SHEET_FILES.manifest });
  zip.append(signature, { name: SHEET_FILES.signature });
  for (const name of names) zip.append(folder.read(name), { name });
  await Promise.all([zip.finalize(), packed]);
  signal.removeEventListener('abort', stop);
}

async function noteMade(
  db: Database,
  { id, forWhom, sounds }: SheetManifest,
  sent: Readable,
  personId: number,
): Promise<void> {
  await db.transaction(async (tx) => {
    await tx.insert(sheetsMade).values({ id, forWhom, sounds, personId });
    for await (const rows of inPages(sentIn(sent), PAGE))
      await tx.execute(sql`
        ${bulkInsert(
          sheetsSent,
          rows.map((each) => ({ ...each, forWhom })),
        )} on conflict (for_whom, sound_id) do update set mark = excluded.mark`);
  });
}

async function* sentIn(lines: Readable): AsyncGenerator<Sent> {
  for await (const line of createInterface({ input: lines })) yield JSON.parse(line) as Sent;
}

/** Whom sheets were made for, the latest first. */
export async function sheetRecipients(db: Queryable): Promise<{ forWhom: string; madeAt: string; sounds: number }[]> {
  const madeAt = max(sheetsMade.madeAt);
  const rows = await db
    .select({ forWhom: sheetsMade.forWhom, madeAt, sounds: sum(sheetsMade.sounds).mapWith(Number) })
    .from(sheetsMade)
    .groupBy(sheetsMade.forWhom)
    .orderBy(desc(madeAt))
    .limit(100);
  return rows.map(({ forWhom, madeAt: at, sounds }) => ({ forWhom, madeAt: new Date(at ?? 0).toISOString(), sounds }));
}
