/** Lower-case and without accents, so that "Café" and "cafe" are one word. */
export function plainText(text: string): string {
  return withoutAccents(text).toLowerCase();
}

const PLAIN = /^[ -~]*$/;

/** A text without accents, only of Latin letters: the marks of kana make other letters. */
export function withoutAccents(text: string): string {
  if (PLAIN.test(text)) return text;
  return text
    .normalize('NFKD')
    .replace(/(\p{Script=Latin})\p{M}+/gu, '$1')
    .normalize('NFC');
}

/**
 * The words of a file name or folder, lower-case: split at everything that is no letter, at digits, and inside camelCase.
 * Accents are dropped, so that "café" and "cafe" are one word.
 */
export function wordsOf(text: string): string[] {
  return withoutAccents(text)
    .replace(/(\p{Ll})(\p{Lu})/gu, '$1 $2')
    .replace(/(\p{Lu})(\p{Lu}\p{Ll})/gu, '$1 $2')
    .toLowerCase()
    .split(/[^\p{L}']+/u)
    .map((word) => word.replace(/^'+|'+$|'s$/g, ''))
    .filter((word) => word !== '');
}

/** Irregular forms with their base forms. */
export const IRREGULAR: Readonly<Record<string, string>> = {
  geese: 'goose',
  feet: 'foot',
  teeth: 'tooth',
  mice: 'mouse',
  men: 'man',
  women: 'woman',
  children: 'child',
  leaves: 'leaf',
  knives: 'knife',
  wolves: 'wolf',
  shelves: 'shelf',
  hooves: 'hoof',
  struck: 'strike',
  thrown: 'throw',
  threw: 'throw',
  broke: 'break',
  broken: 'break',
  tore: 'tear',
  torn: 'tear',
  rang: 'ring',
  blew: 'blow',
  blown: 'blow',
  shook: 'shake',
  shaken: 'shake',
  fell: 'fall',
  fallen: 'fall',
  ran: 'run',
  swung: 'swing',
  slid: 'slide',
  spun: 'spin',
  drove: 'drive',
  driven: 'drive',
  flew: 'fly',
  flown: 'fly',
  ate: 'eat',
  eaten: 'eat',
  bitten: 'bite',
  froze: 'freeze',
  frozen: 'freeze',
  burnt: 'burn',
  drawn: 'draw',
};
const DOUBLED = /([bdfgmnprt])\1$/;

/**
 * A word without its English inflection (plural, -ing, -ed, -er of doubled consonants), so that "doors", "slamming" and "slammed" meet
 * "door" and "slam". A light stemmer of our own: it only has to map both sides alike.
 */
export function stemOf(given: string): string {
  const word = IRREGULAR[given] ?? given;
  if (word.length <= 3) return word;
  let stem = word;
  if (stem.endsWith('ies') && stem.length > 4) stem = `${stem.slice(0, -3)}y`;
  else if (/(?:ss|sh|ch|x|z)es$/.test(stem)) stem = stem.slice(0, -2);
  else if (stem.endsWith('s') && !/(?:ss|us|is)$/.test(stem)) stem = stem.slice(0, -1);
  if (stem.endsWith('ing') && stem.length > 5) stem = stem.slice(0, -3).replace(DOUBLED, '$1');
  else if (stem.endsWith('ed') && stem.length > 4) stem = stem.slice(0, -2).replace(DOUBLED, '$1');
  return stem.length > 3 && stem.endsWith('e') ? stem.slice(0, -1) : stem;
}
