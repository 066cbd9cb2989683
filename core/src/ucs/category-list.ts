import { AppError } from '../errors.ts';
import { BUILT_IN_CATALOGUE_TSV } from './catalogue-data.ts';

/** One row of the category list. */
export interface Category {
  category: string;
  subCategory: string;
  catId: string;
  catShort: string;
  /** One sentence on what belongs here; empty when the list has none. */
  meaning: string;
  /** Words and phrases that point here, most telling first. */
  words: string[];
  /** How many of three recalls agreed on the CatID (built-in list only). */
  recalls?: number;
}

const HEADER_NAMES: Record<string, keyof Category> = {
  category: 'category',
  subcategory: 'subCategory',
  catid: 'catId',
  catshort: 'catShort',
  meaning: 'meaning',
  explanation: 'meaning',
  explanations: 'meaning',
  words: 'words',
  synonyms: 'words',
  recalls: 'recalls',
};

const REQUIRED: (keyof Category)[] = ['category', 'subCategory', 'catId', 'catShort'];

/**
 * The categories in rows of cells. A title row above the header is skipped; columns are found by their names, in any order.
 * Throws LIST_INVALID, naming the row, when a column is missing, a CatID is empty or illegal, or one stands twice.
 */
export function categoriesFromRows(rows: string[][]): Category[] {
  const headerIndex = rows.findIndex((row) => row.some((cell) => normaliseHeader(cell) === 'catid'));
  const header = (rows[headerIndex] ?? []).map((cell) => HEADER_NAMES[normaliseHeader(cell)]);
  for (const column of REQUIRED) {
    if (!header.includes(column)) throw new AppError('LIST_INVALID', `The category list has no column “${column}”.`);
  }
  const seen = new Set<string>();
  return rows.slice(headerIndex + 1).flatMap((row, index) => {
    if (row.every((cell) => cell.trim() === '')) return [];
    const where = `row ${headerIndex + index + 2}`;
    const cell = (name: keyof Category): string => (row[header.indexOf(name)] ?? '').trim();
    const catId = cell('catId');
    if (!/^[A-Za-z0-9]+$/.test(catId)) {
      throw new AppError('LIST_INVALID', `The CatID “${catId}” in ${where} is not made of letters and digits.`);
    }
    if (seen.has(catId.toLowerCase()))
      throw new AppError('LIST_INVALID', `The CatID “${catId}” in ${where} stands twice.`);
    seen.add(catId.toLowerCase());
    const recalls = Number(cell('recalls'));
    return [
      {
        category: cell('category').toUpperCase(),
        subCategory: cell('subCategory').toUpperCase(),
        catId,
        catShort: cell('catShort'),
        meaning: cell('meaning'),
        words: cell('words')
          .split(',')
          .map((word) => word.trim().toLowerCase())
          .filter((word) => word !== ''),
        ...(recalls > 0 ? { recalls } : {}),
      },
    ];
  });
}

function normaliseHeader(cell: string): string {
  return cell.toLowerCase().replace(/[^a-z]/g, '');
}

/** The cells of tab-separated text without quoting. */
export function rowsFromTsv(text: string): string[][] {
  return text.split(/\r?\n/).map((line) => line.split('\t'));
}

/** A category list with look-ups that ignore case. */
export class CategoryList {
  readonly source: string;
  readonly categories: readonly Category[];
  private readonly byCatId: Map<string, Category>;
  private readonly byNames: Map<string, Category>;

  constructor(source: string, categories: Category[]) {
    this.source = source;
    this.categories = categories;
    this.byCatId = new Map(categories.map((category) => [category.catId.toLowerCase(), category]));
    this.byNames = new Map(categories.map((category) => [namesKey(category.category, category.subCategory), category]));
  }

  /** The category of a CatID in any case, or undefined. */
  find(catId: string): Category | undefined {
    return this.byCatId.get(catId.toLowerCase());
  }

  /** The category of a Category and SubCategory pair in any case, or undefined. */
  findByNames(category: string, subCategory: string): Category | undefined {
    return this.byNames.get(namesKey(category, subCategory));
  }

  /**
   * Categories that hold every typed word in CatID, names, words or meaning, best first: CatID prefix, then SubCategory or
   * Category prefix, then words. At most `limit`.
   */
  search(typed: string, limit = 20): Category[] {
    const parts = typed
      .toLowerCase()
      .split(/[\s/,]+/)
      .filter((part) => part !== '');
    if (parts.length === 0) return this.categories.slice(0, limit);
    const scored = this.categories.flatMap((category) => {
      let total = 0;
      for (const part of parts) {
        const score = scorePart(category, part);
        if (score === 0) return [];
        total += score;
      }
      return [{ category, total }];
    });
    return scored
      .sort((a, b) => b.total - a.total || a.category.catId.localeCompare(b.category.catId))
      .slice(0, limit)
      .map((entry) => entry.category);
  }
}

function namesKey(category: string, subCategory: string): string {
  return `${category.trim().toLowerCase()}/${subCategory.trim().toLowerCase()}`;
}

function scorePart(category: Category, part: string): number {
  const catId = category.catId.toLowerCase();
  if (catId === part) return 100;
  if (catId.startsWith(part)) return 40;
  if (category.subCategory.toLowerCase().startsWith(part)) return 30;
  if (category.category.toLowerCase().startsWith(part)) return 25;
  const position = category.words.findIndex((word) => word === part || word.startsWith(part));
  if (position >= 0) return category.words[position] === part ? 20 - Math.min(position, 10) : 9 - Math.min(position, 8);
  if (catId.includes(part) || category.subCategory.toLowerCase().includes(part)) return 4;
  if (category.words.some((word) => word.includes(part))) return 2;
  return category.meaning.toLowerCase().includes(part) ? 1 : 0;
}

let builtIn: CategoryList | undefined;

/** The built-in list, parsed once. Its source says that it is from memory; a published sheet can replace it. */
export function builtInCategoryList(): CategoryList {
  builtIn ??= new CategoryList('UCS 8.2, from memory', categoriesFromRows(rowsFromTsv(BUILT_IN_CATALOGUE_TSV)));
  return builtIn;
}
