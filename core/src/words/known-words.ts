import { stemOf } from '../text/words.ts';

/** Finds a known word for one that is not: letters drawn out, a slip of spelling, or two words written as one. */
export class KnownWords {
  private readonly words: ReadonlySet<string>;
  /** Known words by what is left when one letter is taken out. */
  private readonly byLack = new Map<string, string[]>();

  constructor(words: ReadonlySet<string>) {
    this.words = words;
    for (const word of words) {
      if (word.length < SHORTEST) continue;
      for (const lack of lacks(word)) {
        const known = this.byLack.get(lack);
        if (known) known.push(word);
        else this.byLack.set(lack, [word]);
      }
    }
  }

  /** The known word that a drawn-out one stands for: “creeeak” for “creak”, “boioioing” for “boing”. */
  withoutDrawl(word: string): string | undefined {
    const tries = [
      word.replace(/(.)\1{2,}/gu, '$1$1'),
      word.replace(/(.)\1+/gu, '$1'),
      word.replace(/(.)\1{2,}/gu, '$1'),
      word.replace(/(.{2,3}?)\1+/gu, '$1'),
    ];
    return tries.find((each) => each !== word && each.length > 2 && this.words.has(each));
  }

  /** The known word that differs in one letter (left out, added or changed); undefined when several do or the word is short. */
  withoutSlip(word: string): string | undefined {
    if (word.length < SHORTEST) return undefined;
    const found = new Set<string>();
    const tryWord = (each: string): unknown => this.words.has(each) && found.add(each);
    for (const lack of lacks(word)) {
      tryWord(lack);
      for (const each of this.byLack.get(lack) ?? []) if (each.length === word.length) found.add(each);
    }
    for (const each of this.byLack.get(word) ?? []) found.add(each);
    // A first letter is seldom wrong.
    const likely = [...found].filter((each) => each[0] === word[0]);
    return new Set(likely.map(stemOf)).size === 1 ? likely[0] : undefined;
  }

  /** Two known words that are written as one: “treefrogs”. */
  parts(word: string): [string, string] | undefined {
    for (let at = 4; at <= word.length - 4; at += 1) {
      const [head, tail] = [word.slice(0, at), word.slice(at)];
      if (this.words.has(head) && this.words.has(tail)) return [head, tail];
    }
    return undefined;
  }
}

const SHORTEST = 5;

function lacks(word: string): string[] {
  return Array.from({ length: word.length }, (_, at) => word.slice(0, at) + word.slice(at + 1));
}
