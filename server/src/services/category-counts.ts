import type { ListFilter } from '@flagstone/contract/selection';
import { sql } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import { allOf, filterConditions } from './search.ts';

/** How many filed sounds each category holds under the words of the search; a chosen category does not narrow the counts. */
export async function countCategories(app: AppContext, filter: ListFilter) {
  const { rows } = await app.db.execute<{ category: string; sub_category: string; cat_id: string; count: number }>(sql`
    select r.category, r.sub_category, r.cat_id, count(*) as count from sounds s join records r on r.sound_id = s.id left join analyses a on a.sound_id = s.id
    where s.filed_at is not null and ${allOf(filterConditions({ ...filter, category: '', catId: '' }, { kind: 'catalogue' }))}
    group by r.category, r.sub_category, r.cat_id order by r.category, r.sub_category`);
  return rows.map((row) => ({
    category: row.category,
    subCategory: row.sub_category,
    catId: row.cat_id,
    count: row.count,
  }));
}
