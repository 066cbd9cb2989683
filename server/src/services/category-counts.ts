import type { CategoryCounts } from '@flagstone/contract/api';
import { filterSchema, type ListFilter } from '@flagstone/contract/selection';
import { sql } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import { sampleOf } from './hits.ts';
import { keptAnswer } from './kept.ts';
import { allOf, catalogueConditions, catalogueTables, isNarrow } from './search.ts';

/**
 * How many filed sounds each category holds under the words of the search; a chosen category does not narrow the counts. Beyond a limit a sample
 * stands for all, and the answer says so; all categories of the whole catalogue are counted one by one, so that none is missing.
 */
export async function countCategories(app: AppContext, filter: ListFilter): Promise<CategoryCounts> {
  const wider = { ...filter, category: '', catId: '' };
  return isNarrow(wider) ? countUnder(app, wider) : allCategories(app);
}

const allCategories = keptAnswer((app) => countUnder(app, filterSchema.parse({})));

async function countUnder(app: AppContext, filter: ListFilter): Promise<CategoryCounts> {
  const { conditions, factor } = isNarrow(filter)
    ? await sampleOf(app, filter)
    : { conditions: await catalogueConditions(app.db, filter), factor: 1 };
  const { rows } = await app.db.execute<{ category: string; sub_category: string; cat_id: string; count: number }>(sql`
    select f.category, f.sub_category, f.cat_id, count(*) as count from ${catalogueTables(false)}
    where ${allOf(conditions)} group by f.category, f.sub_category, f.cat_id order by f.category, f.sub_category`);
  return {
    isApproximate: factor !== 1,
    categories: rows.map((row) => ({
      category: row.category,
      subCategory: row.sub_category,
      catId: row.cat_id,
      count: Math.round(row.count * factor),
    })),
  };
}
