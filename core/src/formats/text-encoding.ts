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
    return new TextDecoder('windows-1252').decode(content);
  }
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
