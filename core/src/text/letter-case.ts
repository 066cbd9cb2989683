/** How the letters of a text are to stand. */
export const LETTER_CASES = ['asIs', 'title', 'sentence', 'upper', 'lower'] as const;
export type LetterCase = (typeof LETTER_CASES)[number];

/** What a person sees for a case. */
export const CASE_WORDS: Record<LetterCase, string> = {
  asIs: 'As it is',
  title: 'Title Case',
  sentence: 'Sentence case',
  upper: 'CAPITALS',
  lower: 'small letters',
};

/** Words that stay small inside a title (common practice of English titles). */
const SMALL = new Set('a an and at for from in into of on onto or the to with x'.split(' '));
/** At most this many letters in capitals are taken for an acronym when the rest of the text is not in capitals. */
const ACRONYM_LETTERS = 4;
/** Short, in capitals and without vowels. */
const SPELT = /^[B-DF-HJ-NP-TV-XZ]{2,4}$/;
const WORD = /[\p{L}\p{N}][\p{L}\p{N}\p{M}'’]*/gu;

/**
 * Acronyms, units and marks that sound libraries use and that a change of case must not damage (common practice); people add their own.
 * Only such as are no ordinary word in small letters.
 */
export const COMMON_ACRONYMS: readonly string[] = (
  'AC ADR ATM BMX BPM CB CD CNC CRT CU DC DIY DJ DVD EMF EQ EV FM FX GPS HD HQ HVAC IR LCD LED LFE LFO LP MCU MIDI MIG MP3 MRI MS NYC ORTF PA PC ' +
  'PVC PZM QTC RC RF RPM RV SFX SOS SUV TGV TV UCS UFO UHF UK USA USB UV VCR VHF VHS VOX VR VW WW2 XCU XY Hz kHz dB'
).split(' ');

/**
 * A text in another case. Kept whole are: words of `keptWhole` (written as they stand there, however they stood), words with digits (model
 * numbers such as MK2), words in capitals without vowels (VHF), words with capitals inside, and, with `guessAcronyms`, short words in capitals where the rest is not in capitals.
 */
export function toLetterCase(
  text: string,
  letterCase: LetterCase,
  keptWhole: readonly string[] = [],
  guessAcronyms = false,
): string {
  if (letterCase === 'asIs') return text;
  const kept = new Map(keptWhole.map((word) => [word.toLowerCase(), word]));
  const isShouting = text === text.toUpperCase();
  const mayBeAcronym = guessAcronyms && !isShouting;
  let isFirst = true;
  return text.replace(WORD, (word) => {
    const first = isFirst;
    isFirst = false;
    const listed = kept.get(word.toLowerCase());
    if (listed !== undefined) return listed;
    if (letterCase === 'upper') return word.toUpperCase();
    if (standsForItself(word, isShouting, mayBeAcronym)) return word;
    const lower = word.toLowerCase();
    if (letterCase === 'lower') return lower;
    if (letterCase === 'sentence') return first ? capitalised(lower) : lower;
    return !first && SMALL.has(lower) ? lower : capitalised(lower);
  });
}

/** Whether the writer's capitals mean something: a model number, a name such as McKee, an acronym. */
function standsForItself(word: string, isShouting: boolean, mayBeAcronym: boolean): boolean {
  if (/\p{N}/u.test(word)) return /\p{L}/u.test(word);
  if (word.length < 2) return false;
  // No word is said without a vowel: VHF, GSM, HDD are spelt.
  if (SPELT.test(word)) return true;
  if (isShouting) return false;
  if (word === word.toUpperCase()) return mayBeAcronym && word.length <= ACRONYM_LETTERS;
  return word.slice(1) !== word.slice(1).toLowerCase();
}

function capitalised(word: string): string {
  const [first = ''] = word;
  return first.toUpperCase() + word.slice(first.length);
}
