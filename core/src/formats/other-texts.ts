import { tidyText } from '../text/tidy-text.ts';
import type { FieldPlace, FoundTexts } from './field-places.ts';

/** What a file says beside the fields of the record, by place, as `INFO ISFT`. */
export type OtherTexts = Record<string, string>;

/** Says nothing but of which version of its form the text around it is. */
const NO_TEXT = 'iXML IXML_VERSION';
const MOST_TEXTS = 60;
const MOST_KEY_LENGTH = 100;
const MOST_TEXT_LENGTH = 500;
/** Nobody writes a word as long: what goes on for so many letters without a space is coded (a picture in base64). */
const CODED = /\S{120}/u;

/**
 * The texts of a file that no field takes, by place, in their order: the program that made it, an engineer, a genre of no category. At most 60, each of at
 * most 500 letters; what is coded, or holds neither letter nor figure, is left out.
 */
export function otherTexts(found: FoundTexts, read: readonly FieldPlace[]): OtherTexts {
  const taken = new Set<string>([NO_TEXT, ...read.map(({ place }) => place)]);
  const texts: [string, string][] = [];
  for (const [system, byKey] of Object.entries(found)) {
    for (const [key, { text }] of byKey) {
      if (texts.length >= MOST_TEXTS) return Object.fromEntries(texts);
      const place = tidyText(`${system} ${key.slice(0, MOST_KEY_LENGTH)}`, false);
      const said = tidyText(text.slice(0, MOST_TEXT_LENGTH), true);
      if (!taken.has(`${system} ${key}`) && isText(said)) texts.push([place, said]);
    }
  }
  return Object.fromEntries(texts);
}

function isText(text: string): boolean {
  return /[\p{L}\p{N}]/u.test(text) && !CODED.test(text);
}
