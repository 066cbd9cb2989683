import { stemOf, wordsOf } from '../text/words.ts';
import { parseName, splitExtension } from '../ucs/name-blocks.ts';
import type { Category, CategoryList } from '../ucs/category-list.ts';

export interface Suggestion {
  catId: string;
  category: string;
  subCategory: string;
  /** 0 to 1; how sure, from how much of the evidence points here and how far it leads the next. */
  score: number;
  /** The words and places that led to it, most telling first. */
  because: string[];
}

/** What a word or phrase of the list says: the categories that have it, each with a weight. */
interface Evidence {
  categories: Map<number, number>;
  rarity: number;
}

/** From this score on a suggestion is taken as sure: accepted with all others at once; below it is shown as a guess. */
export const SURE_SCORE = 0.35;

const LIMIT = 5;
/** How much a word counts in a folder next to one in the name. */
const FOLDER_WEIGHT = 0.4;
const LONGEST_PHRASE = 4;
/** A phrase of the list says more than its words apart. */
const PHRASE_BONUS = 0.6;

/** Proposes categories for paths by the words of the category list, rare words counting more. Made once, used for many paths. */
export class CategorySuggester {
  private readonly list: CategoryList;
  private readonly evidence = new Map<string, Evidence>();

  constructor(list: CategoryList) {
    this.list = list;
    list.categories.forEach((category, index) => this.learnCategory(category, index));
    const count = list.categories.length;
    for (const entry of this.evidence.values()) entry.rarity = Math.log(1 + count / entry.categories.size);
  }

  private learnCategory(category: Category, index: number): void {
    const learn = (text: string, weight: number): void => {
      const key = phraseKey(wordsOf(text));
      if (key === '') return;
      const entry = this.evidence.get(key) ?? { categories: new Map<number, number>(), rarity: 0 };
      entry.categories.set(index, Math.max(entry.categories.get(index) ?? 0, weight));
      this.evidence.set(key, entry);
    };
    const general = category.subCategory === 'MISC' || category.subCategory === 'GENERAL';
    for (const word of wordsOf(category.category)) learn(word, general ? 1 : 0.75);
    for (const word of general ? [] : wordsOf(category.subCategory)) learn(word, 1);
    category.words.forEach((phrase, position) => {
      const weight = 1 - Math.min(position, 40) * 0.012;
      learn(phrase, weight);
      const words = wordsOf(phrase);
      if (words.length > 1) for (const word of words) learn(word, weight * 0.45);
    });
  }

  /** The best categories for a path (folders separated by `/`), best first; none when no word is known. */
  suggest(path: string): Suggestion[] {
    const parts = path.split('/');
    const { base } = splitExtension(parts.pop() ?? '');
    const parsed = parseName(base, this.list);
    const scores = new Map<number, { total: number; reasons: Map<string, number> }>();
    this.score(wordsOf(parsed?.blocks.fxName ?? base), 1, '', scores);
    parts
      .reverse()
      .forEach((folder, depth) => this.score(wordsOf(folder), FOLDER_WEIGHT * 0.7 ** depth, folder, scores));
    const ranked = [...scores].sort(([, a], [, b]) => b.total - a.total).slice(0, LIMIT);
    const suggestions = ranked.map(([index, { total, reasons }]) =>
      this.suggestionOf(
        index,
        certainty(
          total,
          ranked.map(([, entry]) => entry.total),
        ),
        reasons,
      ),
    );
    return parsed?.blocks.catId === undefined ? suggestions : this.withStated(parsed.blocks.catId, suggestions);
  }

  /** A name that is in UCS form already says its CatID. */
  private withStated(catId: string, suggestions: Suggestion[]): Suggestion[] {
    const category = this.list.find(catId);
    if (!category) return suggestions;
    const stated: Suggestion = {
      ...namesOf(category),
      score: 0.99,
      because: [`the name begins with ${category.catId}`],
    };
    return [stated, ...suggestions.filter((other) => other.catId !== category.catId)].slice(0, LIMIT);
  }

  private suggestionOf(index: number, score: number, reasons: Map<string, number>): Suggestion {
    const because = [...reasons]
      .sort((a, b) => b[1] - a[1])
      .slice(0, 4)
      .map(([reason]) => reason);
    return { ...namesOf(this.list.categories[index] as Category), score, because };
  }

  private score(
    words: string[],
    weight: number,
    folder: string,
    scores: Map<number, { total: number; reasons: Map<string, number> }>,
  ): void {
    const seen = new Set<string>();
    for (let start = 0; start < words.length; start += 1) {
      for (let length = 1; length <= LONGEST_PHRASE && start + length <= words.length; length += 1) {
        const phrase = words.slice(start, start + length);
        const key = phraseKey(phrase);
        const entry = this.evidence.get(key);
        if (!entry || seen.has(key)) continue;
        seen.add(key);
        const reason =
          folder === '' ? `“${phrase.join(' ')}” in the name` : `“${phrase.join(' ')}” in folder “${folder}”`;
        for (const [index, strength] of entry.categories) {
          const gain = weight * strength * entry.rarity * (1 + PHRASE_BONUS * (length - 1));
          const score = scores.get(index) ?? { total: 0, reasons: new Map<string, number>() };
          score.total += gain;
          score.reasons.set(reason, (score.reasons.get(reason) ?? 0) + gain);
          scores.set(index, score);
        }
      }
    }
  }
}

function namesOf(category: Category): Pick<Suggestion, 'catId' | 'category' | 'subCategory'> {
  return { catId: category.catId, category: category.category, subCategory: category.subCategory };
}

function phraseKey(words: string[]): string {
  return words.map(stemOf).join(' ');
}

/** Share of the evidence among the candidates, damped where there is little of it; rounded to hundredths. */
function certainty(total: number, totals: number[]): number {
  const sum = totals.reduce((all, value) => all + value, 0);
  const amount = total / (total + 3);
  return Math.round(Math.min(0.98, (0.35 + 0.65 * (total / sum)) * amount) * 100) / 100;
}
