import path from 'node:path';
import { readFile } from 'node:fs/promises';
import { parseArgs } from 'node:util';
import { deliveryProfileSchema, type DeliveryItem } from '@flagstone/contract/deliveries';
import { filterSchema } from '@flagstone/contract/selection';
import { SHIPPED_PROFILES, type DeliveryProfile } from '@flagstone/core/delivery/profile';
import { AppError } from '@flagstone/core/errors';
import { USES, type Use } from '@flagstone/core/licences/terms';
import { and, eq, sql } from 'drizzle-orm';
import { z } from 'zod';
import type { AppContext } from '../app-context.ts';
import { deliveries } from '../db/deliveries-schema.ts';
import { drives } from '../db/schema.ts';
import { AllowedRoots } from '../disk/roots.ts';
import { deliverJob } from '../deliveries/delivery-job.ts';
import { placeOf } from '../deliveries/delivery-place.ts';
import {
  deliverJobOf,
  getDelivery,
  layDelivery,
  listDeliveryItems,
  listProfiles,
  makeDelivery,
  removeDelivery,
} from '../deliveries/deliveries.ts';
import { driveIsHere } from '../drives/drives.ts';
import { makeFolder } from '../disk/make-folder.ts';
import { programPerson } from '../people/accounts.ts';
import { inDataFolder } from './in-data-folder.ts';
import { rootsOf, UsageError } from './usage.ts';

const USAGE = `deliver --profile NAME|FILE.json --query Q --to DIR [--name NAME] [--use USE] [--dry-run] [--root DIR]... [--data DIR]
NAME is one of ${Object.keys(SHIPPED_PROFILES).join(', ')}, or of a profile that was kept; USE, by which licences are held, one of ${USES.join(', ')}`;
const PAGE = 500;
const EVERYONES = sql`true`;

/**
 * `deliver`: sounds that a query finds, delivered from the shell, on a database that runs or not. Prints one JSON object for each file, and last a total. The same query to the same folder is the same
 * delivery: only what differs is made again.
 */
export async function deliver(args: string[]): Promise<number> {
  const { values, positionals } = parseArgs({
    args,
    allowPositionals: true,
    options: {
      data: { type: 'string' },
      root: { type: 'string', multiple: true },
      profile: { type: 'string' },
      query: { type: 'string' },
      to: { type: 'string' },
      name: { type: 'string' },
      use: { type: 'string' },
      'dry-run': { type: 'boolean', default: false },
    },
  });
  const { profile, query, to, name = query ?? '', 'dry-run': isDry } = values;
  if (positionals.length > 0 || profile === undefined || query === undefined || to === undefined)
    throw new UsageError(`use\n${USAGE}`);
  const use = USES.find((each) => each === values.use);
  if (values.use !== undefined && use === undefined) throw new UsageError(`use\n${USAGE}`);
  const target = path.resolve(to);
  if (!isDry) await makeFolder(target);
  const roots = [...rootsOf(values.root), path.dirname(target)];
  return inDataFolder(values.data, roots, async (opened) => {
    // Whoever runs it may read the drives that were read before, without naming them anew.
    const here: string[] = [];
    for (const drive of await opened.db.select().from(drives)) if (await driveIsHere(drive)) here.push(drive.rootPath);
    const app = { ...opened, roots: await AllowedRoots.of([...roots, ...here]) };
    const kept = await profileOf(app, profile);
    // A bag is the folder that is named itself.
    const isBag = kept.packing === 'bag';
    const folder = isBag ? path.dirname(target) : target;
    const what = {
      kind: 'sounds' as const,
      selection: { kind: 'catalogue' as const, filter: filterSchema.parse({ q: query }) },
      cut: 'whole' as const,
    };
    const given = {
      name: ((isBag ? path.basename(target) : name) || 'Everything').slice(0, 200),
      forWhom: '',
      use: use ?? ('' as const),
      isCommercial: true,
      show: '',
      deadline: '',
      what,
      profileName: profile.slice(0, 200),
      profile: kept,
      folder,
    };
    const person = await programPerson(app.db);
    const before = await knownDelivery(app, { person, query, ...given });
    if (before !== undefined) await layDelivery(app, before, EVERYONES, 'all');
    const asking = { person, sight: 'all' as const, librarianIn: 'all' as const };
    const id = before ?? (await makeDelivery(app, { ...given, folder: isDry ? path.dirname(target) : folder }, asking));
    const job = deliverJobOf({ ...given, id });
    if (!isDry) await app.jobs.runHere((run) => deliverJob(app, run, 'all'), job, person);
    const failed = await print(app, id, placeOf({ ...given, id }, folder).root, isDry);
    if (isDry && before === undefined) await removeDelivery(app.db, id, EVERYONES);
    return failed === 0 ? 0 : 1;
  });
}

/** A profile that ships, one that was kept, or one of a file. Throws NOT_FOUND, BAD_REQUEST. */
async function profileOf(app: AppContext, given: string): Promise<DeliveryProfile> {
  const shipped = Object.entries(SHIPPED_PROFILES).find(([key]) => key === given.toLowerCase());
  if (shipped) return shipped[1];
  const kept = (await listProfiles(app.db)).find(({ name }) => name.toLowerCase() === given.toLowerCase());
  if (kept) return kept.profile;
  if (!given.endsWith('.json'))
    throw new AppError(
      'NOT_FOUND',
      `There is no delivery profile “${given}”: ${Object.keys(SHIPPED_PROFILES).join(', ')} ship.`,
    );
  const parsed = deliveryProfileSchema.safeParse(jsonOf(await readFile(given, 'utf8'), given));
  if (parsed.success) return parsed.data;
  throw new AppError('BAD_REQUEST', `${given} is no delivery profile: ${z.prettifyError(parsed.error)}`);
}

function jsonOf(text: string, file: string): unknown {
  try {
    return JSON.parse(text);
  } catch (cause) {
    throw new AppError('BAD_REQUEST', `${file} is no JSON: ${(cause as Error).message}`, { cause });
  }
}

async function knownDelivery(
  app: AppContext,
  {
    person,
    query,
    name,
    folder,
    profile,
    use,
  }: { person: number; query: string; name: string; folder: string; profile: DeliveryProfile; use: Use | '' },
): Promise<number | undefined> {
  const [row] = await app.db
    .select({ id: deliveries.id })
    .from(deliveries)
    .where(
      and(
        eq(deliveries.personId, person),
        eq(deliveries.folder, folder),
        eq(deliveries.name, name),
        eq(deliveries.use, use),
        sql`${deliveries.what} #>> '{selection,filter,q}' = ${query}`,
        sql`${deliveries.profile} = ${JSON.stringify(profile)}::jsonb`,
      ),
    )
    .limit(1);
  return row?.id;
}

/** Prints the files of a delivery and their total. Returns how many are not there. */
async function print(app: AppContext, id: number, folder: string, isDry: boolean): Promise<number> {
  let failed = 0;
  for (let after: string | null = ''; after !== null;) {
    const page: Awaited<ReturnType<typeof listDeliveryItems>> = await listDeliveryItems(
      app,
      id,
      { after, limit: PAGE, show: 'all' },
      EVERYONES,
    );
    for (const item of page.items) {
      const line = lineOf(item, folder, isDry);
      if (!line.ok) failed += 1;
      process.stdout.write(`${JSON.stringify(line)}\n`);
    }
    after = page.next;
  }
  const { counts } = await getDelivery(app, id, EVERYONES);
  const { files, bytes, done, blocked, failed: notMade, left } = counts;
  process.stdout.write(`${JSON.stringify({ total: files, bytes, done, blocked, failed: notMade, left })}\n`);
  return failed;
}

function lineOf({ from, path: below, state, problems, bytes, digest }: DeliveryItem, folder: string, isDry: boolean) {
  return {
    from,
    to: path.join(folder, below),
    ok: isDry ? state !== 'blocked' : state === 'done',
    problems: problems.map(({ code, severity, message }) => ({ code, severity, message })),
    bytes,
    ...(isDry || digest === '' ? {} : { digest }),
  };
}
