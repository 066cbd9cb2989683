/** A text with the evidence of how it was decoded, as it is shown to people. */
export interface DecodedText {
  text: string;
  encoding: TextEncodingName;
}

export type TextEncodingName =
  | 'ASCII'
  | 'UTF-8'
  | 'UTF-16, byte order mark'
  | 'Windows-1252, not valid UTF-8'
  | 'Latin-1'
  | 'UTF-8, labelled Latin-1';

/**
 * Text of a chunk whose encoding nobody wrote down, with the evidence. A byte order mark decides; else valid UTF-8 is UTF-8; else it is
 * taken as Windows-1252, the usual encoding of older WAV files (common practice). Ends at the first NUL.
 */
export function decodeWithEvidence(bytes: Uint8Array): DecodedText {
  const mark = (bytes[0] ?? 0) * 256 + (bytes[1] ?? 0);
  if (mark === 0xfffe || mark === 0xfeff)
    return { text: untilNul(decodeUtf16(bytes)), encoding: 'UTF-16, byte order mark' };
  const nul = bytes.indexOf(0);
  const content = nul < 0 ? bytes : bytes.subarray(0, nul);
  const text = decodeUtf8(content);
  if (text === undefined) return { text: decodeWindows1252(content), encoding: 'Windows-1252, not valid UTF-8' };
  return { text, encoding: text.length === content.length ? 'ASCII' : 'UTF-8' };
}

/** The text alone; see decodeWithEvidence. */
export function decodeText(bytes: Uint8Array): string {
  return decodeWithEvidence(bytes).text;
}

const UTF8 = new TextDecoder('utf-8', { fatal: true });

/** The text when the bytes are valid UTF-8, else undefined. */
export function decodeUtf8(bytes: Uint8Array): string | undefined {
  try {
    return UTF8.decode(bytes);
  } catch {
    return undefined;
  }
}

/** UTF-16 by its byte order mark, which is dropped; without one, little-endian unless `bigEndian`. */
export function decodeUtf16(bytes: Uint8Array, bigEndian = false): string {
  const marked = bytes[0] === 0xfe && bytes[1] === 0xff;
  const little = bytes[0] === 0xff && bytes[1] === 0xfe;
  return new TextDecoder(marked || (bigEndian && !little) ? 'utf-16be' : 'utf-16le').decode(bytes);
}

// What Windows-1252 has where Latin-1 has control characters, 0x80 to 0x9f (https://encoding.spec.whatwg.org, index-windows-1252).
const WINDOWS_1252 = '€\u0081‚ƒ„…†‡ˆ‰Š‹Œ\u008dŽ\u008f\u0090‘’“”•–—˜™š›œ\u009džŸ';

/** Text in Windows-1252; by a table, since the TextDecoder of Node.js 20 takes it for Latin-1. */
export function decodeWindows1252(bytes: Uint8Array): string {
  let text = '';
  for (const byte of bytes)
    text += byte >= 0x80 && byte <= 0x9f ? (WINDOWS_1252[byte - 0x80] ?? '') : String.fromCharCode(byte);
  return text;
}

/** The text without the NULs, and blanks behind them, that fill up its field. In one pass: a field may be megabytes of NULs. */
export function withoutFilling(text: string): string {
  const shown = text.trimEnd().length;
  let end = shown;
  while (text[end - 1] === '\0') end -= 1;
  return end < shown ? text.slice(0, end) : text;
}

function untilNul(text: string): string {
  const nul = text.indexOf('\0');
  return nul < 0 ? text : text.slice(0, nul);
}

/** Printable ASCII nearest to the text: accents are dropped, typographic quotes and dashes made plain, the rest becomes `?`. */
export function toAscii(text: string): string {
  const plain = text
    .normalize('NFKD')
    .replace(/\p{M}/gu, '')
    .replace(/[‘’‚]/g, "'")
    .replace(/[“”„]/g, '"')
    .replace(/[‐‑‒–—]/g, '-')
    .replaceAll('ß', 'ss')
    .replaceAll('æ', 'ae')
    .replaceAll('ø', 'o');
  return plain.replace(/[^\x20-\x7e\r\n]/gu, '?');
}

/** Text cut to at most `length` characters, at a word where one ends in the last third. */
export function cutAtWord(text: string, length: number): string {
  if (text.length <= length) return text;
  const cut = text.slice(0, length);
  const space = cut.lastIndexOf(' ');
  return (space > (length * 2) / 3 ? cut.slice(0, space) : cut).trimEnd();
}

/** Text as a field of `length` ASCII bytes can hold it. */
export function fittedAscii(text: string, length: number): string {
  return cutAtWord(toAscii(text), length);
}
