import { KnownWords } from './known-words.ts';
import type { CategoryList } from '../ucs/category-list.ts';
import { IRREGULAR, wordsOf } from '../text/words.ts';

/** A word that is in no list of words, and the one that it probably is. */
export interface SpellingHint {
  word: string;
  likely: string;
}

/** Gives hints on spelling: a word that nobody knows and that is one letter off a word of the category list. */
export class Spelling {
  private readonly known: KnownWords;
  private readonly listed: ReadonlySet<string>;
  private readonly isWord: (word: string) => boolean;

  /** `isWord` says whether a dictionary has a lower-case word, in whatever form. */
  constructor(categories: CategoryList, isWord: (word: string) => boolean) {
    this.listed = new Set(
      categories.categories.flatMap(({ category, subCategory, meaning, words }) =>
        wordsOf([category, subCategory, meaning, ...words].join(' ')),
      ),
    );
    this.known = new KnownWords(this.listed);
    this.isWord = isWord;
  }

  /** Hints for the words of a text, each once. Words in capitals or with digits are names and stay unquestioned. */
  hints(text: string): SpellingHint[] {
    const words = text.match(/(?<![\p{L}\p{N}])\p{L}\p{Ll}{3,}(?![\p{L}\p{N}])/gu) ?? [];
    return [...new Set(words.flatMap((word) => wordsOf(word)))].flatMap((word) => {
      if (this.listed.has(word) || word in IRREGULAR || this.isWord(word)) return [];
      const likely = this.known.withoutSlip(word);
      return likely === undefined ? [] : [{ word, likely }];
    });
  }
}
