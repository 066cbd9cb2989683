import type { CategoryList } from './category-list.ts';
import type { Category } from './category-list.ts';

/** A category of one list and the one of another that stands for it. */
export interface CategoryMove {
  from: Category;
  to: Category;
}

/** A category that another list does not have, with the one there that is likest, when any is like it at all. */
export interface RemovedCategory {
  from: Category;
  likely: Category | undefined;
}

/** What another release of a category list changes. */
export interface ListDifference {
  added: Category[];
  /** The CatID, or the Category and SubCategory, are others: one and the same category for certain. */
  renamed: CategoryMove[];
  removed: RemovedCategory[];
  /** Categories that are the same but for their CatShort, meaning or words. */
  reworded: number;
}

/** Compares two lists: categories are the same by CatID, else by their Category and SubCategory. */
export function listDifference(before: CategoryList, after: CategoryList): ListDifference {
  const difference: ListDifference = { added: [], renamed: [], removed: [], reworded: 0 };
  const met = new Set<Category>();
  const gone: Category[] = [];
  for (const from of before.categories) {
    const byCatId = after.find(from.catId);
    const to = byCatId ?? after.findByNames(from.category, from.subCategory);
    if (!to || (!byCatId && before.find(to.catId))) {
      gone.push(from);
      continue;
    }
    met.add(to);
    const isSame = from.catId === to.catId && from.category === to.category && from.subCategory === to.subCategory;
    if (!isSame) difference.renamed.push({ from, to });
    else if (from.catShort !== to.catShort || from.meaning !== to.meaning || from.words.join() !== to.words.join())
      difference.reworded += 1;
  }
  difference.added = after.categories.filter((category) => !met.has(category));
  difference.removed = gone.map((from) => ({ from, likely: likeliest(from, after) }));
  return difference;
}

/** How much sharing the Category counts beside sharing all words, and the least likeness that is proposed. */
const SAME_CATEGORY = 0.3;
const LEAST = 0.15;

/** The category of a list that shares most with another: its Category, the words of its names and its list of words. */
export function likeliest(from: Category, list: CategoryList): Category | undefined {
  const words = wordsIn(from);
  let best: { category: Category; likeness: number } | undefined;
  for (const category of list.categories) {
    const others = wordsIn(category);
    const shared = [...words].filter((word) => others.has(word)).length;
    const union = words.size + others.size - shared;
    const likeness = shared / Math.max(1, union) + (category.category === from.category ? SAME_CATEGORY : 0);
    if (likeness >= LEAST && likeness > (best?.likeness ?? 0)) best = { category, likeness };
  }
  return best?.category;
}

function wordsIn({ category, subCategory, words }: Category): ReadonlySet<string> {
  return new Set([...`${category} ${subCategory}`.toLowerCase().split(/[^\p{L}]+/u), ...words].filter(Boolean));
}
