import { createWriteStream } from 'node:fs';
import { rename, rm, stat } from 'node:fs/promises';
import path from 'node:path';
import { parseArgs } from 'node:util';
import { filterSchema } from '@flagstone/contract/selection';
import { SHEET_PARTS, sheetPartsSchema, type SheetPart } from '@flagstone/contract/sheet-parts';
import type { SheetItem, SheetWinner } from '@flagstone/contract/sheets';
import { AppError } from '@flagstone/core/errors';
import { sql } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import { programPerson } from '../people/accounts.ts';
import { runPlanJob } from '../plans/plan-jobs.ts';
import { applySheet, beginApplying } from '../sheets/apply-sheet.ts';
import { makeSheet } from '../sheets/make-sheet.ts';
import { changedFields } from '../sheets/sheet-items.ts';
import { compare, planSheetNames } from '../sheets/sheet-job.ts';
import { getSheet, listSheetItems, receiveSheet, removeSheet } from '../sheets/sheets.ts';
import { inDataFolder } from './in-data-folder.ts';
import { rootsOf, UsageError } from './usage.ts';

const USAGE = `sheet make [--query Q] [--for WHOM] [--changed] [--with PART]... -o FILE.zip [--data DIR]
sheet apply FILE.zip [--dry-run] [--theirs] [--rename] [--without PART]... [--root DIR]... [--data DIR]
PART is one of ${SHEET_PARTS.join(', ')}`;
const PAGE = 200;
const EVERYONES = sql`true`;

interface Given {
  query?: string | undefined;
  for?: string | undefined;
  changed: boolean;
  output?: string | undefined;
  'dry-run': boolean;
  theirs: boolean;
  rename: boolean;
  with?: string[] | undefined;
  without?: string[] | undefined;
}

/** Throws UsageError for what is no part of a sheet. */
function partsIn(given: readonly string[] = []): SheetPart[] {
  const parsed = sheetPartsSchema.safeParse(given);
  if (!parsed.success) throw new UsageError(`use\n${USAGE}`);
  return parsed.data;
}

/**
 * `sheet make` and `sheet apply`: change sheets from the shell, on a database that runs or not. Applying prints one JSON object for each sound of the sheet, and last a total;
 * what it changes stands in the history and is undone there.
 */
export async function sheet(args: string[]): Promise<number> {
  const { values, positionals } = parseArgs({
    args,
    allowPositionals: true,
    options: {
      data: { type: 'string' },
      root: { type: 'string', multiple: true },
      query: { type: 'string' },
      for: { type: 'string' },
      changed: { type: 'boolean', default: false },
      output: { type: 'string', short: 'o' },
      'dry-run': { type: 'boolean', default: false },
      theirs: { type: 'boolean', default: false },
      rename: { type: 'boolean', default: false },
      with: { type: 'string', multiple: true },
      without: { type: 'string', multiple: true },
    },
  });
  const [what, file, ...more] = positionals;
  const isMaking = what === 'make' && file === undefined && values.output !== undefined;
  const isApplying = what === 'apply' && file !== undefined && values.output === undefined;
  if (more.length > 0 || (!isMaking && !isApplying)) throw new UsageError(`use\n${USAGE}`);
  const given = path.resolve(file ?? values.output ?? '');
  return inDataFolder(values.data, rootsOf(values.root), (app) =>
    isMaking ? make(app, given, values) : apply(app, given, values),
  );
}

/** Writes the sheet beside its place first: a half one never stands there. */
async function make(app: AppContext, file: string, given: Given): Promise<number> {
  const { query = '', for: forWhom = '', changed } = given;
  const part = `${file}.part`;
  const found = { kind: 'catalogue' as const, filter: filterSchema.parse({ q: query }), seenBy: 'all' as const };
  const wanted = {
    selection: query === '' ? ('everything' as const) : found,
    forWhom,
    onlyChanged: changed,
    parts: partsIn(given.with),
  };
  try {
    const person = await programPerson(app.db);
    const sounds = await makeSheet(app, wanted, person, () => createWriteStream(part), new AbortController().signal);
    await rename(part, file);
    process.stdout.write(`${JSON.stringify({ file, sounds, bytes: (await stat(file)).size })}\n`);
    return 0;
  } finally {
    await rm(part, { force: true });
  }
}

async function apply(app: AppContext, file: string, given: Given): Promise<number> {
  const without = partsIn(given.without);
  const parts = SHEET_PARTS.filter((part) => !without.includes(part));
  const person = await programPerson(app.db);
  const id = await receiveSheet(app, file, person);
  const wins: SheetWinner = given.theirs ? 'theirs' : 'ours';
  await compare(app, id, 'all', () => Promise.resolve());
  const { counts } = await getSheet(app.db, id, EVERYONES);
  const total = { total: 0, digest: 0, fingerprint: 0, facts: 0, none: 0 };
  // Printed before it is applied: afterwards nothing would differ.
  for await (const item of itemsOf(app, id, wins)) {
    total.total += 1;
    total[item.match] += 1;
    process.stdout.write(`${JSON.stringify(lineOf(item))}\n`);
  }
  let failed = 0;
  if (given['dry-run']) await removeSheet(app.db, id, EVERYONES);
  else {
    if (given.rename) await renameFiles(app, id, person);
    await beginApplying(app.db, id, wins);
    await applySheet(app, id, { wins, parts, personId: person, sight: 'all' }, ({ problems }) => {
      failed += problems.length;
      for (const { line, message } of problems) process.stderr.write(`line ${line}: ${message}\n`);
      return Promise.resolve();
    });
  }
  process.stdout.write(`${JSON.stringify(total)}\n`);
  return failed === 0 && counts.several === 0 ? 0 : 1;
}

async function* itemsOf(app: AppContext, id: string, wins: SheetWinner): AsyncGenerator<SheetItem> {
  for (let after: number | null = 0; after !== null;) {
    const page: Awaited<ReturnType<typeof listSheetItems>> = await listSheetItems(
      app,
      id,
      { after, limit: PAGE, show: 'all', wins },
      EVERYONES,
      'all',
    );
    yield* page.items;
    after = page.next;
  }
}

function lineOf(item: SheetItem): object {
  const { path: place, theirName, match, certain, candidates, newName, problem } = item;
  const open = item.fields.filter(({ outcome }) => outcome === 'open').map(({ field }) => field);
  return {
    path: place ?? theirName,
    match,
    certain,
    changed: problem === null ? changedFields(item) : [],
    newName,
    ...(candidates > 1 ? { candidates } : {}),
    ...(open.length > 0 ? { open } : {}),
    ...(problem === null ? {} : { problem }),
  };
}

/** Renames the files as the sheet says, by a plan that stands in the journal. */
async function renameFiles(app: AppContext, id: string, person: number): Promise<void> {
  const plan = await planSheetNames(app, id, person, 'all').catch((error: unknown) => {
    if (error instanceof AppError && error.code === 'NOTHING_SELECTED') return undefined;
    throw error;
  });
  if (!plan || plan.counts.runnable === 0) return;
  const { rows } = await app.db.execute<{ id: string }>(sql`
    select distinct c.drive_id::text as id from journal j join copies c on c.id = j.copy_id where j.plan_id = ${plan.id}`);
  const driveIds = rows.map(({ id: driveId }) => driveId);
  const job = await app.jobs.runHere(
    (run) => runPlanJob(app, run, true),
    {
      kind: 'rename',
      title: `Rename ${plan.counts.runnable} files after a change sheet`,
      payload: { planId: plan.id, batchId: null, driveIds },
      lanes: driveIds,
      collectionIds: [],
    },
    person,
  );
  for (const { examples } of Object.values(job.failures))
    for (const each of examples) process.stderr.write(`${each}\n`);
}
