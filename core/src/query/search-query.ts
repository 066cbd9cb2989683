import { isOneSlipFrom } from '../naming/read-name.ts';
import { SEARCH_FIELDS, searchField, searchFieldsLike, type SearchField } from './search-fields.ts';

/** A bound of a range; `open` when the bound itself does not belong to it. */
export interface Bound {
  value: number;
  open: boolean;
}

/** What a field has to be. Days ago are counted back from now; dates are days since 1970, UTC. */
export type FieldTest =
  /** `exact`: one word after another; `whole`: nothing but this. */
  | { kind: 'text'; text: string; exact: boolean; whole: boolean }
  | { kind: 'range'; from?: Bound; to?: Bound }
  | { kind: 'choice'; choice: string }
  | { kind: 'age'; from?: Bound; to?: Bound }
  | { kind: 'date'; from?: Bound; to?: Bound };

/** What a search line means. `at` and `length` are where it stands in the line, in characters. */
export type QueryNode = { at: number; length: number } & (
  | { kind: 'all'; parts: QueryNode[] }
  | { kind: 'any'; parts: QueryNode[] }
  | { kind: 'not'; part: QueryNode }
  | { kind: 'word'; text: string; begun: boolean }
  | { kind: 'phrase'; text: string }
  | { kind: 'field'; field: string; test: FieldTest }
);

export interface QueryFault {
  message: string;
  at: number;
  length: number;
}

export interface ParsedQuery {
  query: QueryNode;
  faults: QueryFault[];
}

/** Longer lines are cut: nobody types them. */
export const MOST_LETTERS = 10_000;
const MOST_PARTS = 200;

interface Token {
  kind: 'term' | 'or' | 'minus';
  text: string;
  quoted: boolean;
  /** `=` stood before it. */
  whole?: boolean;
  /** A field and its colon stood before it. */
  field?: string;
  at: number;
  length: number;
}

/**
 * Reads a search line: words that all have to be found, `"a phrase"`, `-without`, `one|other`, `field:value`, ranges `2..10`, `>=3`, `<7d`. Whatever
 * cannot be read is told with its place, and left out of the query. The last word, while it is being typed (`typing`), also stands for the
 * beginning of a word.
 */
export function parseQuery(line: string, typing = false): ParsedQuery {
  const text = line.slice(0, MOST_LETTERS);
  const faults: QueryFault[] = [];
  const tokens = tokensOf(text, faults);
  const parts: QueryNode[] = [];
  let index = 0;
  const last = tokens.at(-1);
  while (index < tokens.length && parts.length < MOST_PARTS) {
    const alternatives: QueryNode[] = [];
    const start = tokens[index] as Token;
    for (;;) {
      const read = termAt(tokens, index, faults, (token) => typing && token === last && !/\s$/.test(text));
      index = read.next;
      if (read.node) alternatives.push(read.node);
      if (tokens[index]?.kind !== 'or') break;
      index += 1;
    }
    const [first, ...others] = alternatives;
    if (!first) continue;
    const end = tokens[index - 1] as Token;
    const place = { at: start.at, length: end.at + end.length - start.at };
    parts.push(others.length > 0 ? { kind: 'any', parts: alternatives, ...place } : first);
  }
  const rest = tokens[index];
  // Nothing that was asked for is left out unsaid.
  if (rest && parts.length >= MOST_PARTS)
    faults.push({
      message: `More than ${MOST_PARTS} things are asked for`,
      at: rest.at,
      length: text.length - rest.at,
    });
  return { query: { kind: 'all', parts, at: 0, length: text.length }, faults };
}

function tokensOf(text: string, faults: QueryFault[]): Token[] {
  const tokens: Token[] = [];
  // An or-sign, a minus at the start of a term, a field with its colon and a quoted or plain value, a phrase, or a word.
  const pattern =
    /\s*(?:(\|)|(-)(?=[^\s|-])|([\p{L}][\p{L}\p{N}]*):(=?)(?:"([^"]*)("?)|([^\s|]*))|"([^"]*)("?)|([^\s|"]+)|(\s+$))/guy;
  for (let match = pattern.exec(text); match && match[0] !== ''; match = pattern.exec(text)) {
    const [all, or, minus, field, equals, fieldQuoted, fieldClosed, fieldPlain, phrase, phraseClosed, word] = match;
    const at = match.index + (all.length - all.trimStart().length);
    const place = { at, length: all.trimStart().length };
    if (or !== undefined) tokens.push({ kind: 'or', text: '|', quoted: false, ...place });
    else if (minus !== undefined) tokens.push({ kind: 'minus', text: '-', quoted: false, ...place });
    else if (field !== undefined) {
      if (fieldQuoted !== undefined && fieldClosed === '')
        faults.push({ message: 'The quotes are not closed', ...place });
      tokens.push({
        kind: 'term',
        field,
        text: fieldQuoted ?? fieldPlain ?? '',
        quoted: fieldQuoted !== undefined,
        whole: equals === '=',
        ...place,
      });
    } else if (phrase !== undefined) {
      if (phraseClosed === '') faults.push({ message: 'The quotes are not closed', ...place });
      tokens.push({ kind: 'term', text: phrase, quoted: true, ...place });
    } else if (word !== undefined) tokens.push({ kind: 'term', text: word, quoted: false, ...place });
  }
  return tokens;
}

function termAt(
  tokens: readonly Token[],
  start: number,
  faults: QueryFault[],
  isBegun: (token: Token) => boolean,
): { node?: QueryNode; next: number } {
  const token = tokens[start];
  if (!token) return { next: start };
  if (token.kind === 'or') {
    faults.push({ message: 'Before | something is missing', at: token.at, length: 1 });
    return { next: start };
  }
  if (token.kind === 'minus') {
    const { node, next } = termAt(tokens, start + 1, faults, isBegun);
    if (!node) return { next: Math.max(next, start + 1) };
    return { node: { kind: 'not', part: node, at: token.at, length: node.at + node.length - token.at }, next };
  }
  const place = { at: token.at, length: token.length };
  const after = tokens[start + 1]?.kind === 'or' && !tokens[start + 2];
  if (after) faults.push({ message: 'After | something is missing', at: (tokens[start + 1] as Token).at, length: 1 });
  const next = start + 1;
  if (token.field !== undefined) {
    const test = fieldTest(token, faults);
    return test ? { node: { kind: 'field', ...test, ...place }, next } : { next };
  }
  const text = token.text.replace(/[^\p{L}\p{N}'\s]+/gu, ' ').trim();
  if (text === '') return { next };
  if (token.quoted) return { node: { kind: 'phrase', text, ...place }, next };
  return { node: { kind: 'word', text, begun: isBegun(token) && /^[\p{L}\p{N}]+$/u.test(text), ...place }, next };
}

function fieldTest(token: Token, faults: QueryFault[]): { field: string; test: FieldTest } | undefined {
  const given = token.field ?? '';
  const place = { at: token.at, length: token.length };
  const field = searchField(given);
  if (!field) {
    const like =
      SEARCH_FIELDS.find(({ name }) => isOneSlipFrom(name, given.toLowerCase())) ?? searchFieldsLike(given)[0];
    faults.push({
      message: `There is no field “${given}”${like ? `; is ${like.example} meant?` : ''}`,
      at: token.at,
      length: given.length,
    });
    return undefined;
  }
  const value = token.text.trim();
  if (value === '') {
    faults.push({ message: `${field.label} of what? For instance ${field.example}`, ...place });
    return undefined;
  }
  const test = testOf(field, value, token);
  if (typeof test === 'string') {
    faults.push({
      message: test,
      at: token.at + given.length + 1,
      length: Math.max(1, token.length - given.length - 1),
    });
    return undefined;
  }
  return { field: field.name, test };
}

function testOf(field: SearchField, value: string, { quoted, whole = false }: Token): FieldTest | string {
  if (field.kind === 'text') return { kind: 'text', text: value, exact: quoted || whole, whole };
  if (field.kind === 'choice') {
    const wanted = value.toLowerCase().replace(/[\s-]/g, '');
    const choice =
      field.choices?.find((each) => each === wanted) ?? field.choices?.find((each) => each.startsWith(wanted));
    return choice === undefined ? `${field.label} can be ${field.choices?.join(', ')}` : { kind: 'choice', choice };
  }
  if (field.kind === 'number') {
    const range = rangeOf(value, (text) => numberOf(text, field.unit));
    return range ? { kind: 'range', ...range } : `${field.label} is a number or a range: ${field.example}`;
  }
  return (
    whenOf(value) ??
    `${field.label} is a number of days or a date: added:<7d, added:>30d, added:2026-03, added:2025..2026`
  );
}

function numberOf(text: string, unit = ''): number | undefined {
  const match = /^(-?\d{1,15}(?:\.\d{1,10})?)\s*([a-z]*)$/i.exec(text.trim());
  if (!match) return undefined;
  const [, digits, said = ''] = match;
  const scale = { '': 1, k: 1000, khz: 1000, m: 60, min: 60, h: 3600, [unit.toLowerCase()]: 1 }[said.toLowerCase()];
  return scale === undefined ? undefined : Number(digits) * scale;
}

type Range = { from?: Bound; to?: Bound };

/** `5`, `2..10`, `..10`, `2..`, `>=3`, `<-30`. */
function rangeOf(value: string, read: (text: string) => number | undefined): Range | undefined {
  const compared = /^(>=|<=|>|<)(.+)$/.exec(value);
  if (compared) {
    const bound = read(compared[2] ?? '');
    if (bound === undefined) return undefined;
    const open = !compared[1]?.endsWith('=');
    return compared[1]?.startsWith('>') ? { from: { value: bound, open } } : { to: { value: bound, open } };
  }
  const [low, high, ...more] = value.split('..');
  if (more.length > 0) return undefined;
  if (high === undefined) {
    const exact = read(value);
    return exact === undefined ? undefined : { from: { value: exact, open: false }, to: { value: exact, open: false } };
  }
  const from = low === '' ? undefined : read(low ?? '');
  const to = high === '' ? undefined : read(high);
  if ((low !== '' && from === undefined) || (high !== '' && to === undefined) || (low === '' && high === ''))
    return undefined;
  return {
    ...(from === undefined ? {} : { from: { value: from, open: false } }),
    ...(to === undefined ? {} : { to: { value: to, open: false } }),
  };
}

const DAYS: Record<string, number> = { h: 1 / 24, d: 1, w: 7, m: 30, y: 365 };

/** How long ago (`<7d`: within the last seven days), or dates: a year, a month, a day, or a range of them. */
function whenOf(value: string): FieldTest | undefined {
  const age = rangeOf(value, (text) => {
    const [, count, unit = ''] = /^(\d{1,5})([hdwmy])$/.exec(text) ?? [];
    return count === undefined ? undefined : Number(count) * (DAYS[unit] ?? 1);
  });
  if (age) return { kind: 'age', ...age };
  const [low = '', high] = value.split('..');
  const begin = low === '' ? undefined : daysOf(low, 'begin');
  const end = daysOf(high === undefined ? low : high, 'end');
  if ((low !== '' && begin === undefined) || (high !== '' && end === undefined)) return undefined;
  if (begin === undefined && end === undefined) return undefined;
  return {
    kind: 'date',
    ...(begin === undefined ? {} : { from: { value: begin, open: false } }),
    ...(end === undefined ? {} : { to: { value: end, open: true } }),
  };
}

/** The day on which a year, a month or a day begins, or on which it is over. */
function daysOf(text: string, edge: 'begin' | 'end'): number | undefined {
  const [, year, month, day] = /^(\d{4})(?:-(\d\d))?(?:-(\d\d))?$/.exec(text) ?? [];
  if (year === undefined) return undefined;
  const [y, m, d] = [Number(year), Number(month ?? 1), Number(day ?? 1)];
  if (m < 1 || m > 12 || d < 1 || d > 31) return undefined;
  const after = edge === 'begin' ? 0 : 1;
  const time =
    day !== undefined
      ? Date.UTC(y, m - 1, d + after)
      : month !== undefined
        ? Date.UTC(y, m - 1 + after, 1)
        : Date.UTC(y + after, 0, 1);
  return Math.round(time / 86_400_000);
}

/** The search line that a query stands for; read again it gives the same query. */
export function printQuery(node: QueryNode): string {
  switch (node.kind) {
    case 'all':
      return node.parts.map(printQuery).join(' ');
    case 'any':
      return node.parts.map(printQuery).join('|');
    case 'not':
      return `-${printQuery(node.part)}`;
    case 'word':
      return node.text;
    case 'phrase':
      return `"${node.text}"`;
    case 'field':
      return `${node.field}:${printTest(node.test)}`;
  }
}

function printTest(test: FieldTest): string {
  if (test.kind === 'text') {
    const isPlain = !/[\s|"]/.test(test.text) && (test.whole || !test.exact);
    return `${test.whole ? '=' : ''}${isPlain ? test.text : `"${test.text.replaceAll('"', '')}"`}`;
  }
  if (test.kind === 'choice') return test.choice;
  const print: (value: number) => string =
    test.kind === 'date'
      ? dateOf
      : test.kind === 'age'
        ? (value) => (Number.isInteger(value) ? `${value}d` : `${Math.round(value * 24)}h`)
        : String;
  const { from, to } = test;
  // A date up to which it goes is over at its end.
  const last = (bound: Bound): string => print(test.kind === 'date' ? bound.value - 1 : bound.value);
  if (from && to) {
    if (test.kind !== 'date' && from.value === to.value) return print(from.value);
    return test.kind === 'date' && to.value === from.value + 1
      ? print(from.value)
      : `${print(from.value)}..${last(to)}`;
  }
  if (test.kind === 'date') return from ? `${print(from.value)}..` : `..${to ? last(to) : ''}`;
  if (from) return `>${from.open ? '' : '='}${print(from.value)}`;
  return to ? `<${to.open ? '' : '='}${print(to.value)}` : '';
}

function dateOf(days: number): string {
  return new Date(days * 86_400_000).toISOString().slice(0, 10);
}

/** Every word that has to be found, for marking it in what is shown. */
export function wantedWords(node: QueryNode): string[] {
  if (node.kind === 'word' || node.kind === 'phrase') return [node.text];
  if (node.kind === 'all' || node.kind === 'any') return node.parts.flatMap(wantedWords);
  if (node.kind === 'field' && node.test.kind === 'text') return [node.test.text];
  return [];
}
