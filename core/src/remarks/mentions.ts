/** A name in a text, as `@Orla Venn`; `at` is where the sign stands, `length` counts it in. */
export interface Mention {
  at: number;
  length: number;
  name: string;
}

/** As many names are found in one text. */
const MOST_MENTIONS = 50;
const LETTER = /[\p{L}\p{N}]/u;

/**
 * Returns which of some names a text mentions, in their order: after an `@` that does not stand in a word (as in an address of mail), in whatever case, the longest
 * name that fits, up to the end of a word.
 */
export function mentionsIn(text: string, names: readonly string[]): Mention[] {
  // By their first letter: a text of signs alone is no work, however many people there are.
  const beginning = new Map<string, string[]>();
  for (const name of [...names].sort((a, b) => b.length - a.length)) {
    const letter = firstLetter(name).toLowerCase();
    beginning.set(letter, [...(beginning.get(letter) ?? []), name]);
  }
  const mentions: Mention[] = [];
  for (let at = text.indexOf('@'); at >= 0 && mentions.length < MOST_MENTIONS; at = text.indexOf('@', at + 1)) {
    if (LETTER.test(lastLetter(text.slice(Math.max(0, at - 2), at)))) continue;
    const letter = firstLetter(text.slice(at + 1, at + 3)).toLowerCase();
    const name = beginning.get(letter)?.find((each) => isWordAt(text, at + 1, each));
    if (name !== undefined) mentions.push({ at, length: name.length + 1, name });
  }
  return mentions;
}

const firstLetter = (text: string): string => [...text][0] ?? '';
const lastLetter = (text: string): string => [...text].at(-1) ?? '';

function isWordAt(text: string, at: number, name: string): boolean {
  const end = at + name.length;
  const isSame = text.slice(at, end).toLowerCase() === name.toLowerCase();
  return name !== '' && isSame && !LETTER.test(firstLetter(text.slice(end, end + 2)));
}
