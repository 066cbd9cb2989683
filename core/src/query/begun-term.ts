import { searchField, type SearchField } from './search-fields.ts';

/** What is being typed at the end of a search line. */
export interface BegunTerm {
  /** The line before it. */
  before: string;
  /** The field, once its colon is typed. */
  field?: SearchField;
  /** The value as far as it is typed, without quotes; without a field, the word. */
  text: string;
}

/** The start of a term, a field and its colon, the start of a value in quotes or without; or a word. */
const AT_END = /(?<=^|[\s|-])(?:([\p{L}][\p{L}\p{N}]*):=?(?:"([^"]*)|([^\s|"]*))|([\p{L}\p{N}']+))$/u;

/** What is being typed at the end of a line; undefined behind a space, in a phrase and behind a field that is none. */
export function begunTerm(line: string): BegunTerm | undefined {
  const match = AT_END.exec(line);
  if (!match) return undefined;
  const [, name, quoted, plain, word] = match;
  const before = line.slice(0, match.index);
  if (name === undefined) {
    // Within quotes a word begins nothing.
    const isOpen = (before.match(/"/g)?.length ?? 0) % 2 === 1;
    return isOpen ? undefined : { before, text: word ?? '' };
  }
  const field = searchField(name);
  return field && { before, field, text: quoted ?? plain ?? '' };
}

/** A value as it stands in a search line: in quotes unless it is one word. */
export function valueInLine(value: string): string {
  return /^[\p{L}\p{N}]+$/u.test(value) ? value : `"${value.replaceAll('"', '')}"`;
}
