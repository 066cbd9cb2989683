import { splitExtension } from '../naming/name-blocks.ts';
import { stemOf, wordsOf } from '../text/words.ts';
import { isTelling } from '../words/vocabulary.ts';

/** How often people gave sounds with a word a category: CatIDs with counts, by word; a folder counts as a word that begins with `/`. */
export type Learned = ReadonlyMap<string, ReadonlyMap<string, number>>;

export const NOTHING_LEARNED: Learned = new Map();

/** What is learned of a sound that somebody gave a category: the words of its name, without inflection, and its folder. */
export function wordsToLearn(folder: string, fileName: string): string[] {
  const words = wordsOf(splitExtension(fileName).base).filter((word) => isTelling(word));
  return [...new Set([...words.map(stemOf), ...(folder === '' ? [] : [`/${folder}`])])];
}

/** Evidence of a word at its strongest, next to that of a telling word of the vocabulary, and decisions after which half of it counts. */
const WORD_STRENGTH = 12;
const FOLDER_STRENGTH = 8;
const HALF_AT = 2;

/** What was learned of a word, for one category. */
export interface LearnedGain {
  catId: string;
  gain: number;
  reason: string;
}

/**
 * What decisions so far say of a sound: for each of its words the share of its decisions that went to a category, trusted the more the more
 * decisions there are, n / (n + 2).
 */
export function learnedGains(words: readonly string[], learned: Learned): LearnedGain[] {
  return words.flatMap((word) => {
    const counts = learned.get(word);
    if (!counts) return [];
    const all = [...counts.values()].reduce((sum, times) => sum + times, 0);
    const isFolder = word.startsWith('/');
    const strength = (isFolder ? FOLDER_STRENGTH : WORD_STRENGTH) * (all / (all + HALF_AT));
    return [...counts].flatMap(([catId, times]) => {
      if (times === 0) return [];
      const where = isFolder ? `decisions in this folder` : `decisions on “${word}…”`;
      return [{ catId, gain: (strength * times) / all, reason: `${times} of ${all} ${where}` }];
    });
  });
}
