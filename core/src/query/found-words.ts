import { stemOf, withoutAccents } from '../text/words.ts';
import type { QueryNode } from './search-query.ts';

/** Words that a search line asks for, as they are compared: in small letters, without accents; stems of whole words, beginnings as they are. */
export interface WantedWords {
  stems: ReadonlySet<string>;
  beginnings: readonly string[];
}

/** A part of a text, and whether a search line asked for it. */
export interface TextPart {
  text: string;
  found: boolean;
}

const plain = (word: string): string => withoutAccents(word).toLowerCase();

/** Fields that say where a sound lies: their words stand in many other places. */
const UNMARKED = new Set(['in', 'drive', 'folder', 'container', 'layout', 'tag', 'list']);

/** What to mark: the words, phrases and words of text fields of a query that are not excluded, and further words that it was widened by. */
export function wantedOf(query: QueryNode, also: readonly string[] = []): WantedWords {
  const stems = new Set<string>();
  const beginnings: string[] = [];
  const add = (text: string): void => {
    for (const word of text.match(WORD) ?? []) stems.add(stemOf(plain(word)));
  };
  const visit = (node: QueryNode): void => {
    if (node.kind === 'all' || node.kind === 'any') node.parts.forEach(visit);
    else if (node.kind === 'word' || node.kind === 'phrase') add(node.text);
    else if (node.kind === 'field' && node.test.kind === 'text' && !UNMARKED.has(node.field)) add(node.test.text);
    if (node.kind === 'word' && node.begun) beginnings.push(plain(node.text));
  };
  visit(query);
  also.forEach(add);
  return { stems, beginnings };
}

const WORD = /[\p{L}\p{N}]+/gu;
/** Words as they stand in names: small letters follow a capital, digits stand alone. */
const WORD_IN_NAME = /\p{Lu}?[\p{Ll}\p{Lo}\p{M}']+|\p{Lu}+(?!\p{Ll})|\p{N}+/gu;

/** A text in parts, in their order and with nothing left out, those that were asked for marked as found. */
export function markFound(text: string, wanted: WantedWords): TextPart[] {
  if (wanted.stems.size === 0 && wanted.beginnings.length === 0) return [{ text, found: false }];
  const isWanted = (word: string): boolean =>
    wanted.stems.has(stemOf(plain(word))) || wanted.beginnings.some((each) => plain(word).startsWith(each));
  const spans: [number, number][] = [];
  for (const match of text.matchAll(WORD)) {
    if (isWanted(match[0])) spans.push([match.index, match.index + match[0].length]);
    else
      for (const inner of match[0].matchAll(WORD_IN_NAME))
        if (isWanted(inner[0])) spans.push([match.index + inner.index, match.index + inner.index + inner[0].length]);
  }
  const parts: TextPart[] = [];
  let at = 0;
  for (const [from, to] of spans) {
    if (from > at) parts.push({ text: text.slice(at, from), found: false });
    parts.push({ text: text.slice(from, to), found: true });
    at = to;
  }
  if (at < text.length || parts.length === 0) parts.push({ text: text.slice(at), found: false });
  return parts;
}
