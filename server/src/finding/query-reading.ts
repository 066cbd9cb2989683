import type { QueryReading, WordReading } from '@flagstone/contract/reading';
import { parseQuery, type QueryNode } from '@flagstone/core/query/search-query';
import { curatedRelations, RELATION_KINDS, type RelatedWord } from '@flagstone/core/words/thesaurus';
import { inArray } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import { wordRelations } from '../db/finding-schema.ts';
import type { Sight } from '../rights/rights.ts';
import { beginsAWord, gatherKnownWords, nearestWord, soundsWith } from './known-words.ts';
import { wordNetRelations } from '../disk/word-net.ts';

/** Words of a line that are looked at; the further ones stay as they are. */
const MOST_WORDS = 8;
const MOST_RELATED = 10;
/** Letters of words that are put right, whole ones and those that are still typed. */
const SHORTEST = 3;
const SHORTEST_BEGUN = 5;

/** A word of a search line, where it stands. */
interface AskedWord {
  text: string;
  at: number;
  length: number;
  begun: boolean;
}

/**
 * What the words of a search line mean for this collection: a word that no sound has and no dictionary knows, with the nearest word that some have;
 * and to each word those that are related to it and occur.
 */
export async function readQuery(app: AppContext, line: string, sight: Sight): Promise<QueryReading> {
  const words = askedWords(parseQuery(line, true).query).slice(0, MOST_WORDS);
  if (words.length === 0) return { corrected: null, words: [] };
  await gatherKnownWords(app);
  const related = await relationsOf(
    app,
    words.map(({ text }) => text.toLowerCase()),
  );
  const sounds = await soundsWith(
    app.db,
    [...words.map(({ text }) => text), ...[...related.values()].flat().map(({ word }) => word)],
    sight,
  );
  const read = await Promise.all(words.map((word) => readWord(app, word, related, sounds, sight)));
  const replaced = read.filter(({ instead }) => instead !== null);
  // From the end, so that places further on stay where they are.
  const corrected = [...replaced]
    .reverse()
    .reduce((text, { at, length, instead }) => text.slice(0, at) + instead + text.slice(at + length), line);
  return { corrected: replaced.length > 0 ? corrected : null, words: read };
}

async function readWord(
  app: AppContext,
  { text, at, length, begun }: AskedWord,
  related: ReadonlyMap<string, readonly RelatedWord[]>,
  sounds: ReadonlyMap<string, number>,
  sight: Sight,
): Promise<WordReading> {
  const occurs = sounds.get(text) ?? 0;
  const found = (related.get(text.toLowerCase()) ?? [])
    .flatMap(({ word, kind }) => {
      const count = sounds.get(word) ?? 0;
      return count > 0 ? [{ word, kind, sounds: count }] : [];
    })
    .sort((a, b) => RELATION_KINDS.indexOf(a.kind) - RELATION_KINDS.indexOf(b.kind) || b.sounds - a.sounds)
    .slice(0, MOST_RELATED);
  // What is still being typed may become anything that begins so; a word that the vocabulary or WordNet knows is no slip.
  const isKnown = occurs > 0 || (related.get(text.toLowerCase()) ?? []).length > 0;
  const isLong = text.length >= (begun ? SHORTEST_BEGUN : SHORTEST) && /^\p{L}+$/u.test(text);
  const isSlip = !isKnown && isLong && !(begun && (await beginsAWord(app.db, text, sight)));
  const instead = isSlip ? ((await nearestWord(app.db, text, sight)) ?? null) : null;
  return { text, at, length, sounds: occurs, instead, related: instead === null ? found : [] };
}

/** The single words that have to be found, in their order. */
function askedWords(node: QueryNode): AskedWord[] {
  if (node.kind === 'all' || node.kind === 'any') return node.parts.flatMap(askedWords);
  if (node.kind !== 'word' || /\s/.test(node.text)) return [];
  return [{ text: node.text, at: node.at, length: node.length, begun: node.begun }];
}

/** Related words from what people said, the curated vocabulary and WordNet, in this order. */
async function relationsOf(app: AppContext, words: readonly string[]): Promise<Map<string, RelatedWord[]>> {
  const said = await app.db
    .select()
    .from(wordRelations)
    .where(inArray(wordRelations.word, [...words]));
  return new Map(
    words.map((word) => {
      const own = said.filter((each) => each.word === word);
      const hidden = new Set(own.filter((each) => each.hidden).map(({ related }) => related));
      const all = [
        ...own.filter((each) => !each.hidden).map(({ related, kind }) => ({ word: related, kind })),
        ...curatedRelations(word),
        ...wordNetRelations(word),
      ];
      const once = all.filter(
        (each, index) => !hidden.has(each.word) && all.findIndex((other) => other.word === each.word) === index,
      );
      return [word, once] as const;
    }),
  );
}
