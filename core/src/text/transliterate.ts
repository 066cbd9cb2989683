import { withoutAccents } from './words.ts';

/** Letters that decomposition does not take apart, written in plain ones (common practice; German umlauts as ae, oe, ue by DIN 5007-2). */
const PLAIN: Readonly<Record<string, string>> = {
  ä: 'ae',
  ö: 'oe',
  ü: 'ue',
  Ä: 'Ae',
  Ö: 'Oe',
  Ü: 'Ue',
  ß: 'ss',
  æ: 'ae',
  Æ: 'Ae',
  œ: 'oe',
  Œ: 'Oe',
  ø: 'o',
  Ø: 'O',
  å: 'a',
  Å: 'A',
  đ: 'd',
  Đ: 'D',
  ð: 'd',
  þ: 'th',
  Þ: 'Th',
  ł: 'l',
  Ł: 'L',
  ı: 'i',
  '’': "'",
  '‘': "'",
  '“': '"',
  '”': '"',
  '–': '-',
  '—': '-',
  '…': '...',
  '×': 'x',
};

/** A text in the letters of ASCII, as far as its letters are Latin ones; others stay. */
export function transliterate(text: string): string {
  return withoutAccents(text.normalize('NFC').replace(/[^ -~]/gu, (letter) => PLAIN[letter] ?? letter));
}
