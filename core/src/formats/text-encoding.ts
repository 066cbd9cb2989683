/**
 * Text of a chunk whose encoding nobody wrote down. A byte order mark decides; else valid UTF-8 is UTF-8; else it is taken as
 * Windows-1252, the usual encoding of older WAV files (common practice). Ends at the first NUL.
 */
export function decodeText(bytes: Uint8Array): string {
  if (bytes[0] === 0xff && bytes[1] === 0xfe) return untilNul(new TextDecoder('utf-16le').decode(bytes));
  if (bytes[0] === 0xfe && bytes[1] === 0xff) return untilNul(new TextDecoder('utf-16be').decode(bytes));
  const nul = bytes.indexOf(0);
  const content = nul < 0 ? bytes : bytes.subarray(0, nul);
  try {
    return new TextDecoder('utf-8', { fatal: true }).decode(content);
  } catch {
    return decodeWindows1252(content);
  }
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
