import { formerCatIds } from '@flagstone/core/ucs/former-categories';
import type { CategoryList } from '@flagstone/core/ucs/category-list';
import type { Plan } from '@flagstone/contract/plans';
import { sql, type SQL } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import { formerLists } from '../describing/category-lists.ts';
import type { Sight } from '../rights/rights.ts';
import { copyIsSeen } from '../rights/seen.ts';
import { selectedRows } from '../records/sound-rows.ts';
import type { NewItem } from './plan-item.ts';
import { blockerOfReadOnly, getPlan, storePlan } from './plans.ts';
import { planRenames } from './rename-plan.ts';
import { planWrites } from './write-plan.ts';

const PAGE = 50;

/** A copy that is behind the category list: in what its file says, in its name, or in both. */
interface Behind extends Record<string, unknown> {
  id: number;
  writes: boolean;
  renames: boolean;
  /** What the file is to be called: only the CatID at its beginning is another. */
  to: string;
}

/**
 * Copies whose file says a category otherwise than the list has it, or whose name begins with a CatID that the list does not have and one of before has, or the file says.
 * Only of records with a CatID of the list: of others nobody has said yet what they are.
 */
function copiesBehind(list: CategoryList, former: readonly CategoryList[], sight: Sight): SQL {
  const categories = list.categories.map(({ catId, category, subCategory }) => [
    catId.toLowerCase(),
    category,
    subCategory,
  ]);
  const said = (field: 'catId' | 'category' | 'subCategory'): SQL =>
    sql`nullif(c.in_file ->> ${sql.raw(`'${field}'`)}, '')`;
  return sql`
    with listed as materialized (
      select l ->> 0 as cat_id, l ->> 1 as category, l ->> 2 as sub_category from jsonb_array_elements(${JSON.stringify(categories)}::jsonb) l),
    looked as (
      select c.id, lower(${said('catId')}) as cat_id, upper(${said('category')}) as category, upper(${said('subCategory')}) as sub_category,
        lower(split_part(c.name, '_', 1)) as begins, r.cat_id || substr(c.name, length(split_part(c.name, '_', 1)) + 1) as renamed
      from copies c join records r on r.sound_id = c.sound_id
      where not c.gone and ${copyIsSeen(sight)} and lower(r.cat_id) in (select cat_id from listed)
      -- Each value is taken out of the file's once, not again for each comparison.
      offset 0),
    named as materialized (select distinct category, sub_category from listed),
    told as (
      select k.id, k.renamed,
        case when k.cat_id is not null then l.cat_id is null or k.category <> l.category or k.sub_category <> l.sub_category
          else k.category is not null and k.sub_category is not null and n.category is null end as writes,
        k.begins = any(${sql.param(formerCatIds(former, list))}::text[]) or (k.begins = k.cat_id and l.cat_id is null) as is_former
      from looked k left join listed l on l.cat_id = k.cat_id left join named n on n.category = k.category and n.sub_category = k.sub_category)
    select id, coalesce(writes, false) as writes, coalesce(is_former, false) as renames, renamed as "to" from told where writes or is_former`;
}

/** How many files are behind the category list, of those that somebody may change. */
export async function countBehind(app: AppContext, sight: Sight): Promise<{ writes: number; renames: number }> {
  const behind = copiesBehind(app.categories, await formerLists(app), sight);
  const { rows } = await app.db.execute<{ writes: number; renames: number }>(sql`
    select count(*) filter (where b.writes)::int as writes, count(*) filter (where b.renames)::int as renames from (${behind}) b`);
  return rows[0] ?? { writes: 0, renames: 0 };
}

/**
 * Previews writing and renaming the files that are behind the category list, as one plan: each file is written first, then renamed. Throws NOTHING_SELECTED when none is.
 */
export async function planAfterList(app: AppContext, personId: number, sight: Sight): Promise<Plan> {
  const behind = copiesBehind(app.categories, await formerLists(app), sight);
  const plan = { kind: 'afterList' as const, batchId: null, personId };
  const planId = await storePlan(app, plan, async function* (inside) {
    const { rows: found } = await inside.db.execute<Behind>(sql`${behind} order by id`);
    const names = new Map(found.filter(({ renames }) => renames).map(({ id, to }) => [Number(id), to]));
    const renamer = planRenames(inside, { shorten: 'no', extensions: 'kept', companions: true }, names);
    const write = planWrites(inside);
    const block = blockerOfReadOnly(inside);
    const written = new Set(found.filter(({ writes }) => writes).map(({ id }) => Number(id)));
    const rowsOf = (copyIds: number[]) =>
      copyIds.length === 0 ? [] : selectedRows(inside.db, { kind: 'copies', copyIds, seenBy: sight }, PAGE);
    for await (const rows of rowsOf([...names.keys()])) await renamer.meet?.(rows);
    for await (const rows of rowsOf(found.map(({ id }) => Number(id)))) {
      const writes = as('write', await write(rows.filter(({ copyId }) => written.has(copyId))));
      const renames = as('rename', await renamer.plan(rows.filter(({ copyId }) => names.has(copyId))));
      // Of one file after the other; it is written before it is renamed.
      const items = [...writes, ...renames].sort((a, b) => a.copyId - b.copyId);
      yield await block(rows, items);
    }
  });
  return getPlan(app, planId);
}

/** Items that say what they do, without those that have nothing to do. */
function as(does: 'write' | 'rename', items: NewItem[]): NewItem[] {
  return items
    .filter(({ state }) => state !== 'unchanged')
    .map((item) => ({ ...item, after: { ...item.after, does } }));
}
