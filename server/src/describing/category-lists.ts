import path from 'node:path';
import { setImmediate } from 'node:timers/promises';
import { AppError } from '@flagstone/core/errors';
import { CategorySuggester } from '@flagstone/core/suggest/suggest-category';
import { builtInCategoryList, CategoryList } from '@flagstone/core/ucs/category-list';
import { successorOf } from '@flagstone/core/ucs/former-categories';
import { listDifference } from '@flagstone/core/ucs/list-difference';
import type { ChangeResult } from '@flagstone/contract/changes';
import type {
  AdoptList,
  BehindList,
  KeptCategoryList,
  ListComparison,
  UnknownCategory,
  WantedList,
} from '@flagstone/contract/category-lists';
import { desc, eq, sql } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import type { Queryable } from '../db/connect.ts';
import { categoryLists, people } from '../db/schema.ts';
import { categoriesFromFile } from '../workers/table-reader.ts';
import type { Sight } from '../rights/rights.ts';
import { soundIsSeen } from '../rights/seen.ts';
import { editSounds } from '../records/edits.ts';
import { wordNet } from '../disk/word-net.ts';

const BUILT_IN = 0;
/** Made once: it takes half a second of the main thread. */
let builtInSuggester: CategorySuggester | undefined;

/** The list that counts, and what suggests from it: the one that somebody adopted, else the built-in one. */
export async function categoriesInForce(db: Queryable): Promise<Pick<AppContext, 'categories' | 'suggester'>> {
  const [kept] = await db.select().from(categoryLists).where(eq(categoryLists.inForce, true));
  if (!kept) {
    const categories = builtInCategoryList();
    return { categories, suggester: (builtInSuggester ??= new CategorySuggester(categories, wordNet())) };
  }
  const categories = new CategoryList(kept.source, kept.categories);
  return { categories, suggester: new CategorySuggester(categories, wordNet()) };
}

/** All lists that are kept, the newest first and the built-in one last. */
export async function keptLists(app: Pick<AppContext, 'db'>): Promise<KeptCategoryList[]> {
  const rows = await app.db
    .select({ list: categoryLists, person: people.name })
    .from(categoryLists)
    .innerJoin(people, eq(people.id, categoryLists.personId))
    .orderBy(desc(categoryLists.id));
  const builtIn = builtInCategoryList();
  return [
    ...rows.map(({ list: { id, source, categories, createdAt, inForce }, person }) => {
      return { id, source, categories: categories.length, person, createdAt: createdAt.toISOString(), inForce };
    }),
    {
      id: BUILT_IN,
      source: builtIn.source,
      categories: builtIn.categories.length,
      person: null,
      createdAt: null,
      inForce: !rows.some(({ list }) => list.inForce),
    },
  ];
}

/** How many records have each CatID, whatever list it is from. */
export async function countUses(
  app: Pick<AppContext, 'db'>,
  sight: Sight,
): Promise<{ catId: string; records: number }[]> {
  const { rows } = await app.db.execute<{ cat_id: string; records: number }>(
    sql`select cat_id, count(*)::int as records from records r where cat_id <> '' and ${soundIsSeen(sight, sql`r.sound_id`)} group by cat_id`,
  );
  return rows.map(({ cat_id: catId, records }) => ({ catId, records }));
}

async function listOf(app: Pick<AppContext, 'db'>, wanted: WantedList): Promise<CategoryList> {
  if ('fileName' in wanted) {
    const categories = await categoriesFromFile(wanted.fileName, Buffer.from(wanted.content, 'base64'));
    if (categories.length === 0) throw new AppError('LIST_INVALID', `“${wanted.fileName}” holds no category.`);
    return new CategoryList(path.parse(wanted.fileName).name, categories);
  }
  if (wanted.id === BUILT_IN) return builtInCategoryList();
  const [kept] = await app.db.select().from(categoryLists).where(eq(categoryLists.id, wanted.id));
  if (!kept) throw new AppError('NOT_FOUND', 'There is no such category list.');
  return new CategoryList(kept.source, kept.categories);
}

/** What taking a list instead of the one in force would change. Nothing is changed. Throws LIST_INVALID, NOT_FOUND. */
export async function compareList(app: AppContext, wanted: WantedList): Promise<ListComparison> {
  const list = await listOf(app, wanted);
  const uses = new Map((await countUses(app, 'all')).map(({ catId, records }) => [catId.toLowerCase(), records]));
  const records = (catId: string): number => uses.get(catId.toLowerCase()) ?? 0;
  const { added, renamed, removed, reworded } = listDifference(app.categories, list);
  return {
    source: list.source,
    categories: [...list.categories],
    added,
    renamed: renamed.map(({ from, to }) => ({ from, to, records: records(from.catId) })),
    removed: removed
      .map(({ from, likely }) => ({ from, likely: likely?.catId ?? null, records: records(from.catId) }))
      .sort((a, b) => b.records - a.records),
    reworded,
  };
}

/**
 * Takes a list instead of the one in force, keeps it, and moves the records over as one change: those of categories that are called otherwise
 * now, and those of categories that went, as far as `moves` says where. Throws LIST_INVALID, NOT_FOUND, CATEGORY_UNKNOWN.
 */
export async function adoptList(
  app: AppContext,
  { list: wanted, source, moves }: AdoptList,
  personId: number,
): Promise<ChangeResult> {
  const list = await listOf(app, wanted);
  const unknown = Object.values(moves).find((catId) => !list.find(catId));
  if (unknown !== undefined)
    throw new AppError('CATEGORY_UNKNOWN', `“${unknown}” is no CatID of the list “${source}”.`);
  const { renamed } = listDifference(app.categories, list);
  const targets = new Map([
    ...Object.entries(moves).map(([from, to]) => [from.toLowerCase(), to] as const),
    ...renamed.map(({ from, to }) => [from.catId.toLowerCase(), to.catId] as const),
  ]);
  await app.db.transaction(async (tx) => {
    await tx.update(categoryLists).set({ inForce: false }).where(eq(categoryLists.inForce, true));
    if ('fileName' in wanted)
      await tx.insert(categoryLists).values({ source, categories: [...list.categories], personId, inForce: true });
    else if (wanted.id !== BUILT_IN)
      await tx.update(categoryLists).set({ inForce: true, source }).where(eq(categoryLists.id, wanted.id));
  });
  Object.assign(app, await categoriesInForce(app.db));
  await app.live.publish(app.db, { type: 'categories' });
  return moveRecords(app, targets, `Category list “${source}”`, personId);
}

/** The lists that are kept and not in force, the newest first, the built-in one among them. */
export async function formerLists(app: Pick<AppContext, 'db'>): Promise<CategoryList[]> {
  const rows = await app.db.select().from(categoryLists).orderBy(desc(categoryLists.id));
  return [
    ...rows.filter(({ inForce }) => !inForce).map(({ source, categories }) => new CategoryList(source, categories)),
    ...(rows.some(({ inForce }) => inForce) ? [builtInCategoryList()] : []),
  ];
}

/** So many are told at once: looking for what may stand for one takes two milliseconds of the main thread. */
const MOST_UNKNOWN = 100;

/** The CatIDs of records that are on no list in force, those of most records first, each with what may stand for it; at most 100, and how many there are beside these. */
export async function unknownCategories(app: AppContext, sight: Sight): Promise<Pick<BehindList, 'unknown' | 'more'>> {
  const former = await formerLists(app);
  const unknown = (await countUses(app, sight)).filter(({ catId }) => !app.categories.find(catId));
  const told: UnknownCategory[] = [];
  for (const { catId, records } of unknown.sort((a, b) => b.records - a.records).slice(0, MOST_UNKNOWN)) {
    const successor = successorOf(catId, former, app.categories);
    told.push({ catId, records, likely: successor?.to.catId ?? null, how: successor?.how ?? null });
    await setImmediate();
  }
  return { unknown: told, more: unknown.length - told.length };
}

/** Moves the records of CatIDs that are on no list to others, as one change. Throws CATEGORY_UNKNOWN. */
export async function moveCategories(
  app: AppContext,
  moves: Readonly<Record<string, string>>,
  personId: number,
): Promise<ChangeResult> {
  const [known, unknown] = [
    Object.keys(moves).find((catId) => app.categories.find(catId)),
    Object.values(moves).find((catId) => !app.categories.find(catId)),
  ];
  if (unknown !== undefined) throw new AppError('CATEGORY_UNKNOWN', `“${unknown}” is no CatID of the list in force.`);
  // Somebody may have taken another list since the page was opened.
  if (known !== undefined) throw new AppError('CONFLICT', `“${known}” is on the list in force: its records stay.`);
  const targets = new Map(Object.entries(moves).map(([from, to]) => [from.toLowerCase(), to]));
  return moveRecords(app, targets, `Categories moved: ${Object.keys(moves).slice(0, 5).join(', ')}`, personId);
}

/** Gives records another CatID, by the one that they have in small letters, as one change. */
async function moveRecords(
  app: AppContext,
  targets: ReadonlyMap<string, string>,
  summary: string,
  personId: number,
): Promise<ChangeResult> {
  const concerned = sql`lower(r.cat_id) = any(${sql.param([...targets.keys()])}::text[])`;
  const change = { kind: 'categories' as const, summary, personId };
  return editSounds(app, concerned, change, ({ catId }) => ({
    set: { catId: targets.get(catId.toLowerCase()) ?? catId },
  }));
}
