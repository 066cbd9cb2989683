import { editDistance } from '../text/edit-distance.ts';
import type { Category, CategoryList } from './category-list.ts';
import { likeliest } from './list-difference.ts';

/** The category that stands for a CatID which the list in force does not have, and how it is known. */
export interface Successor {
  to: Category;
  /** It has the same names under another CatID; it is the likeliest one; its CatID is nearly spelt so. */
  how: 'renamed' | 'likely' | 'spelt';
}

/** In how many letters a CatID may be wrong. */
const MOST_WRONG = 2;

/** What stands in a list for a CatID that it does not have, by the lists of before, the newest first; undefined when nothing is like it. */
export function successorOf(catId: string, former: readonly CategoryList[], list: CategoryList): Successor | undefined {
  for (const each of former) {
    const from = each.find(catId);
    if (!from) continue;
    const sameNames = list.findByNames(from.category, from.subCategory);
    if (sameNames) return { to: sameNames, how: 'renamed' };
    const likely = likeliest(from, list);
    if (likely) return { to: likely, how: 'likely' };
  }
  const nearest = nearestCatId(catId, list);
  return nearest && { to: nearest, how: 'spelt' };
}

/** The category whose CatID is nearest; undefined when none is near, or several are as near. */
function nearestCatId(catId: string, list: CategoryList): Category | undefined {
  const wanted = catId.toLowerCase();
  let best: { category: Category | undefined; wrong: number } = { category: undefined, wrong: MOST_WRONG + 1 };
  for (const category of list.categories) {
    const wrong = editDistance(wanted, category.catId.toLowerCase(), MOST_WRONG);
    if (wrong < best.wrong) best = { category, wrong };
    else if (wrong === best.wrong) best = { category: undefined, wrong };
  }
  return best.category;
}

/** The CatIDs of lists of before that a list does not have, in small letters. */
export function formerCatIds(former: readonly CategoryList[], list: CategoryList): string[] {
  const ids = former.flatMap(({ categories }) => categories.map(({ catId }) => catId.toLowerCase()));
  return [...new Set(ids)].filter((id) => !list.find(id));
}
