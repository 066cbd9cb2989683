import { stemOf, wordsOf } from '../text/words.ts';
import { parseName, splitExtension } from '../naming/name-blocks.ts';
import type { Category, CategoryList } from '../ucs/category-list.ts';
import { ForeignWords } from '../words/foreign-words.ts';
import { learnedGains, NOTHING_LEARNED, type Learned, type LearnedGain } from './learned.ts';
import { KnownWords } from '../words/known-words.ts';
import {
  BACKGROUND_WORDS,
  MATERIAL_CATEGORIES,
  PLACE_CUES,
  PREPOSITIONS,
  NUMBERED,
  ONOMATOPOEIA,
  RECORDING_WORDS,
  SHORTHAND,
  SUBCATEGORY_WORDS,
} from '../words/vocabulary.ts';

export interface Suggestion {
  catId: string;
  category: string;
  subCategory: string;
  /** 0 to 1; how sure, from how much of the evidence points here and how far it leads the next. */
  score: number;
  /** The words and places that led to it, most telling first. */
  because: string[];
}

/** Words for one that nobody knows: broader ones and synonyms, the nearest first. */
export type Thesaurus = (word: string) => readonly string[];

/** What a word or phrase of the list says: the categories that have it, each with a weight. */
interface Evidence {
  categories: Map<number, number>;
  rarity: number;
}

/** From this score on a suggestion is taken as sure: accepted with all others at once; below it is shown as a guess. */
export const SURE_SCORE = 0.35;

const LIMIT = 5;
const LONGEST_PHRASE = 4;
/** Reasons that are told of a suggestion. */
const REASONS = 4;

/** The weights of the kinds of evidence, found by trying on names with known categories. */
export const WEIGHTS = {
  /** How much a word counts in a folder next to one in the name, and in each folder above. */
  folder: 0.45,
  folderAbove: 0.7,
  /** The folder of a name that says nothing. */
  folderAlone: 1,
  /** What a word more in a phrase adds. */
  phrase: 0.3,
  /** What is left of a word for categories of which a longer phrase around it says nothing. */
  insidePhrase: 0.85,
  /** What a part of a phrase of the list is worth. */
  partOfPhrase: 0.45,
  /** Later words of a name, and those behind a preposition. */
  laterWord: 0.05,
  leastOfLater: 0.6,
  behindPreposition: 0.55,
  /** Words about the recording, when they stand alone. */
  recordingWord: 0.15,
  /** What a word gives to the other rows of the category that it points to. */
  sameCategory: 0.15,
  /** Rows for what fits nowhere else. */
  misc: 0.75,
  material: 0.85,
  background: 0.4,
  placeCue: 0.12,
  /** Words that were found by a detour. */
  foreign: 0.9,
  spelling: 0.85,
  parts: 0.75,
  thesaurus: 0.5,
  laterWords: 0.018,
  typical: 0.5,
  spread: 0.5,
};

/** A word of a path, as far as it can be evidence. */
interface Token {
  written: string;
  key: string;
  weight: number;
  /** How it was understood, for the reasons; empty when as it stands. */
  understood: string;
}

/** Proposes categories for paths by the words of the category list, rare words counting more. Made once, used for many paths. */
export class CategorySuggester {
  private readonly list: CategoryList;
  private readonly evidence = new Map<string, Evidence>();
  private readonly foreign = new ForeignWords();
  private readonly known: KnownWords;
  private readonly thesaurus: Thesaurus;
  /** The category of each row, as a number. */
  private readonly categoryOf: readonly number[];
  private readonly categoryCount: number;
  private readonly understood = new Map<string, Pick<Token, 'key' | 'weight' | 'understood'>[]>();

  constructor(list: CategoryList, thesaurus: Thesaurus = () => []) {
    this.list = list;
    this.thesaurus = thesaurus;
    const words = new Set<string>();
    list.categories.forEach((category, index) => {
      this.learnCategory(category, index, words);
    });
    const names = [...new Set(list.categories.map(({ category }) => category))];
    this.categoryOf = list.categories.map(({ category }) => names.indexOf(category));
    this.categoryCount = names.length;
    const count = list.categories.length;
    for (const entry of this.evidence.values()) {
      const spread = [...entry.categories.values()].reduce((sum, share) => sum + share ** WEIGHTS.spread, 0);
      entry.rarity = Math.log(1 + count / Math.max(1, spread));
    }
    this.known = new KnownWords(words);
  }

  private learnCategory(category: Category, index: number, known: Set<string>): void {
    const learn = (text: string, weight: number): void => {
      const words = wordsOf(text);
      for (const word of words) known.add(word);
      const keys = words.length === 2 ? [phraseKey(words), stemOf(words.join(''))] : [phraseKey(words)];
      for (const key of keys) {
        if (key === '') continue;
        const entry = this.evidence.get(key) ?? { categories: new Map<number, number>(), rarity: 0 };
        entry.categories.set(index, Math.max(entry.categories.get(index) ?? 0, weight));
        this.evidence.set(key, entry);
      }
    };
    const general = isGeneral(category);
    for (const word of wordsOf(category.category)) learn(word, general ? 1 : 0.75);
    for (const word of general ? [] : wordsOf(category.subCategory)) learn(word, 1);
    const typical = SUBCATEGORY_WORDS[category.subCategory]?.split(', ') ?? [];
    for (const phrase of typical) learn(phrase, WEIGHTS.typical);
    category.words.forEach((phrase, position) => {
      const weight = 1 - Math.min(position, 40) * WEIGHTS.laterWords;
      learn(phrase, weight);
      const words = wordsOf(phrase);
      if (words.length > 1) for (const word of words) learn(word, weight * WEIGHTS.partOfPhrase);
    });
  }

  /**
   * The best categories for a path (folders separated by `/`), best first; none when no word is known. `learned` is what people decided
   * before of the `words` (see wordsToLearn). `told` is what the record says, which counts as much as the folder of the file.
   */
  suggest(
    path: string,
    learned: Learned = NOTHING_LEARNED,
    words: readonly string[] = [],
    told: string = '',
  ): Suggestion[] {
    const folders = path.split('/');
    const { base } = splitExtension(folders.pop() ?? '');
    const parts = folders.map((text) => ({ text, where: `in folder “${text}”` }));
    if (told !== '') parts.push({ text: told, where: 'in the record' });
    const parsed = parseName(base, this.list);
    const name = parsed?.blocks.fxName ?? base;
    const all = [...wordsOf(path), ...wordsOf(told)];
    const languages = this.languagesOf(all);
    const said = this.saidBy(this.tokensOf(name, languages), 1, 'in the name');
    const isTold = said.some(({ isAbout }) => isAbout);
    let weight = isTold ? WEIGHTS.folder : WEIGHTS.folderAlone;
    for (const { text, where } of parts.reverse()) {
      const here = this.saidBy(this.tokensOf(text, languages), weight, where);
      said.push(...here);
      if (isTold || here.some(({ isAbout }) => isAbout)) weight *= WEIGHTS.folderAbove;
    }
    const gains = learned.size === 0 ? [] : learnedGains(words, learned);
    // Words about the recording alone are no reason for any category.
    const isSaid = gains.length > 0 || said.some(({ isAbout }) => isAbout);
    const ranked = isSaid ? this.rank(said, backgroundOf(all), gains) : [];
    const totals = ranked.map(({ total }) => total);
    const suggestions = ranked.map(({ index, total }) => ({
      ...namesOf(this.list.categories[index] as Category),
      score: certainty(total, totals),
      because: becauseOf(said, gains, index, this.list.categories[index] as Category),
    }));
    return parsed?.blocks.catId === undefined ? suggestions : this.withStated(parsed.blocks.catId, suggestions);
  }

  /** The rows with the most evidence. What points to some rows of a category gives a little to its others. */
  private rank(
    said: readonly Said[],
    background: number,
    gains: readonly LearnedGain[],
  ): { index: number; total: number }[] {
    const { categories } = this.list;
    const totals = new Float64Array(categories.length);
    const inCategory = new Float64Array(this.categoryCount);
    const own = new Float64Array(categories.length);
    const most = new Float64Array(this.categoryCount);
    for (const each of said) {
      const { entry } = each;
      most.fill(0);
      for (const [index] of entry.categories) {
        const gain = gainOf(each, index);
        const category = this.categoryOf[index] as number;
        totals[index] = (totals[index] as number) + gain;
        if (gain > (most[category] as number)) most[category] = gain;
      }
      for (let category = 0; category < most.length; category += 1)
        inCategory[category] = (inCategory[category] as number) + (most[category] as number);
      for (const [index] of entry.categories)
        own[index] = (own[index] as number) + (most[this.categoryOf[index] as number] as number);
    }
    const decided = new Map<string, number>();
    for (const { catId, gain } of gains) decided.set(catId, (decided.get(catId) ?? 0) + gain);
    const ranked: { index: number; total: number }[] = [];
    totals.forEach((sum, index) => {
      const { category, subCategory, catId } = categories[index] as Category;
      const given = decided.get(catId) ?? 0;
      if (sum === 0 && given === 0) return;
      const others = (inCategory[this.categoryOf[index] as number] as number) - (own[index] as number);
      let total = sum + WEIGHTS.sameCategory * others;
      // Rows for the rest, for materials and for backgrounds are weighed by what else was said.
      if (subCategory === 'MISC') total *= WEIGHTS.misc;
      if (MATERIAL_CATEGORIES.has(category)) total *= WEIGHTS.material;
      if (category === 'AMBIENCE') total *= background;
      ranked.push({ index, total: total + given });
    });
    return ranked.sort((one, other) => other.total - one.total).slice(0, LIMIT);
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

  /** The words of a name or folder with their weights: what comes first and is not behind a preposition counts most. */
  private tokensOf(text: string, languages: ReadonlySet<string>): Token[] {
    let place = 0;
    const worded = NUMBERED.reduce((all, [pattern, said]) => all.replace(pattern, said), text);
    return worded.split(/[,;()[\]]|\s-+\s/).flatMap((segment) => {
      let behind = 1;
      return wordsOf(segment).flatMap((written): Token[] => {
        if (PREPOSITIONS.has(written)) behind = WEIGHTS.behindPreposition;
        if (written.length < 2 && written.charCodeAt(0) < 128) return [];
        const later = Math.max(WEIGHTS.leastOfLater, 1 - WEIGHTS.laterWord * place);
        if (!RECORDING_WORDS.has(written)) place += 1;
        return this.understand(written, languages).map((token) => ({
          ...token,
          written,
          weight: token.weight * behind * later,
        }));
      });
    });
  }

  /** The languages of words that are no English ones: in them, words that could be either are read. */
  private languagesOf(words: readonly string[]): ReadonlySet<string> {
    const languages = new Set<string>();
    for (const word of words) {
      if (word.length < 3 || SHORTHAND[word] !== undefined || RECORDING_WORDS.has(word)) continue;
      if (this.evidence.has(stemOf(word))) continue;
      const [only, ...more] = this.foreign.languagesOf(word);
      if (only !== undefined && more.length === 0) languages.add(only);
    }
    return languages;
  }

  /** A word as the vocabulary has it; by a detour when it does not. */
  private understand(word: string, languages: ReadonlySet<string>): Pick<Token, 'key' | 'weight' | 'understood'>[] {
    for (const language of languages) {
      const english = this.foreign.exactly(word, language);
      if (english !== undefined) return inEnglish(english, WEIGHTS.foreign, `${language} for ${english}`);
    }
    const known = this.understood.get(word);
    if (known) return known;
    const found = this.detour(word);
    this.understood.set(word, found);
    return found;
  }

  private detour(word: string): Pick<Token, 'key' | 'weight' | 'understood'>[] {
    const asWritten = [{ key: stemOf(word), weight: 1, understood: '' }];
    const short = SHORTHAND[word];
    if (short !== undefined) return inEnglish(short, 1, `short for ${short}`);
    if (RECORDING_WORDS.has(word) || this.evidence.has(stemOf(word))) return asWritten;
    const heard = ONOMATOPOEIA.get(word.replace(/(.)\1+/gu, '$1'));
    if (heard !== undefined) return inEnglish(heard, 1, heard);
    const drawn = this.known.withoutDrawl(word);
    if (drawn !== undefined) return inEnglish(drawn, 1, drawn);
    const foreign = this.foreign.find(word);
    if (foreign.length > 0)
      return foreign.flatMap(({ english, language }) =>
        inEnglish(english, WEIGHTS.foreign, `${language} for ${english}`),
      );
    const spelled = this.known.withoutSlip(word);
    if (spelled !== undefined) return inEnglish(spelled, WEIGHTS.spelling, `${spelled}?`);
    const parts = this.known.parts(word);
    if (parts) return inEnglish(parts.join(' '), WEIGHTS.parts, parts.join(' '));
    const broader = this.thesaurus(word).find((each) => this.evidence.has(phraseKey(wordsOf(each))));
    return broader === undefined ? asWritten : inEnglish(broader, WEIGHTS.thesaurus, `a kind of ${broader}`);
  }

  /** What the words and phrases of a name or folder say. */
  private saidBy(tokens: readonly Token[], weight: number, where: string): Said[] {
    const said: Said[] = [];
    const seen = new Set<Evidence>();
    /** Rows that a longer phrase around a word points to, by the word's place. */
    const within: (Evidence[] | undefined)[] = [];
    for (let length = Math.min(LONGEST_PHRASE, tokens.length); length >= 1; length -= 1) {
      for (let start = 0; start + length <= tokens.length; start += 1) {
        const entry = this.evidence.get(keyOf(tokens, start, length));
        if (!entry || seen.has(entry)) continue;
        seen.add(entry);
        const phrase = tokens.slice(start, start + length);
        const isAbout = length > 1 || !RECORDING_WORDS.has(phrase[0]?.written ?? '');
        const strength =
          weight *
          Math.max(...phrase.map((token) => token.weight)) *
          entry.rarity *
          (1 + WEIGHTS.phrase * (length - 1)) *
          (isAbout ? 1 : WEIGHTS.recordingWord);
        said.push({ entry, strength, within: within[start], phrase, where, isAbout });
        if (length > 1) for (let at = start; at < start + length; at += 1) within[at] = [...(within[at] ?? []), entry];
      }
    }
    return said;
  }
}

/** A word or phrase of a path that the vocabulary knows. */
interface Said {
  entry: Evidence;
  strength: number;
  /** Longer phrases around it. */
  within: Evidence[] | undefined;
  phrase: Token[];
  where: string;
  /** It tells of the sound, not of the recording. */
  isAbout: boolean;
}

/** What a word gives to a row. */
function gainOf({ entry, strength, within }: Said, index: number): number {
  const share = entry.categories.get(index) ?? 0;
  const isLeftOut = within !== undefined && !within.some(({ categories }) => categories.has(index));
  return strength * share * (isLeftOut ? WEIGHTS.insidePhrase : 1);
}

/** The most telling words for a row, each with where it stands. */
function becauseOf(said: readonly Said[], gains: readonly LearnedGain[], index: number, { catId }: Category): string[] {
  const spoken = said
    .filter(({ entry }) => entry.categories.has(index))
    .map((each) => ({ gain: gainOf(each, index), reason: reasonFor(each.phrase, each.where) }));
  return [...spoken, ...gains.filter((each) => each.catId === catId)]
    .sort((one, other) => other.gain - one.gain)
    .slice(0, REASONS)
    .map(({ reason }) => reason);
}

/** How much likelier some words make a background, from 1. */
function backgroundOf(words: readonly string[]): number {
  const strong = words.filter((word) => BACKGROUND_WORDS.has(word)).length;
  const cues = words.filter((word) => PLACE_CUES.has(word)).length;
  return 1 + WEIGHTS.background * Math.min(strong, 2) + WEIGHTS.placeCue * Math.min(cues, 4);
}

function keyOf(tokens: readonly Token[], start: number, length: number): string {
  let key = (tokens[start] as Token).key;
  for (let at = start + 1; at < start + length; at += 1) key += ` ${(tokens[at] as Token).key}`;
  return key;
}

function inEnglish(text: string, weight: number, understood: string): Pick<Token, 'key' | 'weight' | 'understood'>[] {
  return wordsOf(text).map((word) => ({ key: stemOf(word), weight, understood }));
}

function reasonFor(phrase: readonly Token[], where: string): string {
  const written = [...new Set(phrase.map((token) => token.written))].join(' ');
  const understood = [...new Set(phrase.map((token) => token.understood).filter(Boolean))].join(', ');
  const word = `“${written}”${understood === '' ? '' : ` (${understood})`}`;
  return `${word} ${where}`;
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

function isGeneral({ subCategory }: Category): boolean {
  return subCategory === 'MISC' || subCategory === 'GENERAL';
}
