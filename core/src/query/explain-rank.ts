import { describedFields, DESCRIBING_FIELDS } from '../record/described.ts';
import { FIELDS, type FieldName, type SoundRecord } from '../record/fields.ts';
import { markFound, type WantedWords } from './found-words.ts';

/** Where words of a search stand, by what a hit there counts in the order of relevance. */
export type RankPlace = 'name' | 'labels' | 'others' | 'path';

/** Fields by the weight of their words; those that are not named count as `others`. */
const PLACES: Partial<Record<FieldName, RankPlace>> = {
  fxName: 'name',
  keywords: 'labels',
  category: 'labels',
  subCategory: 'labels',
  catId: 'labels',
};

/** What a hit counts, from 0.1 to 1: the weights that PostgreSQL ranks by. */
export const PLACE_WEIGHTS: Record<RankPlace, number> = { name: 1, labels: 0.6, others: 0.3, path: 0.1 };

/** Fields whose words are searched. */
const SEARCHED = FIELDS.filter(
  ({ name, kind }) => kind !== 'integer' && kind !== 'number' && kind !== 'marks' && name !== 'licenceUrl',
);

export interface RankReason {
  place: RankPlace;
  /** The field, or “Path”. */
  label: string;
  /** Found words as they stand there, each once. */
  words: string[];
}

/** Where a record or the path of its file has the words that were asked for, what counts most first. */
export function rankReasons(record: SoundRecord, path: string, wanted: WantedWords): RankReason[] {
  const texts: { place: RankPlace; label: string; text: string }[] = [
    ...SEARCHED.map(({ name, label }) => {
      const value = record[name];
      const text = Array.isArray(value) ? value.join(', ') : String(value ?? '');
      return { place: PLACES[name] ?? ('others' as const), label, text };
    }),
    { place: 'path' as const, label: 'Path', text: path },
  ];
  return texts
    .flatMap(({ place, label, text }): RankReason[] => {
      const found = markFound(text, wanted).filter((part) => part.found);
      const words = [...new Map(found.map((part) => [part.text.toLowerCase(), part.text])).values()];
      return words.length > 0 ? [{ place, label, words }] : [];
    })
    .sort((a, b) => PLACE_WEIGHTS[b.place] - PLACE_WEIGHTS[a.place]);
}

/** In words, a line each: where the words stand and what that counts, then rating and description. `rating` is 1 to 5, or null. */
export function rankInWords(record: SoundRecord, path: string, wanted: WantedWords, rating: number | null): string {
  const lines = rankReasons(record, path, wanted).map(
    ({ place, label, words }) => `${label}: ${words.join(', ')} (counts ${PLACE_WEIGHTS[place]})`,
  );
  const merit = `${rating === null ? 'not rated' : `rated ${rating}`}, ${describedFields(record)} of ${DESCRIBING_FIELDS.length} fields filled`;
  return [...lines, merit].join('\n');
}
