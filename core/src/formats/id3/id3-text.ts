import { concatBytes } from '../byte-source.ts';
import { decodeUtf16, decodeUtf8, decodeWindows1252, withoutFilling, type DecodedText } from '../text-encoding.ts';

/**
 * Text in ID3v2 frames, ID3v2.4 structure §4: one byte names the encoding, a NUL (two in UTF-16) ends a text that more follows.
 */
const LATIN_1 = 0;
const UTF_16 = 1;
const UTF_16_BE = 2;
const UTF_8 = 3;

/** The texts that follow each other in a frame's bytes, at most `limit` of them; the last one takes the rest. */
export function splitTexts(encoding: number, bytes: Uint8Array, limit: number): Uint8Array[] {
  const wide = encoding === UTF_16 || encoding === UTF_16_BE;
  const texts: Uint8Array[] = [];
  let start = 0;
  for (let at = 0; texts.length < limit - 1 && at + (wide ? 1 : 0) < bytes.length; at += wide ? 2 : 1) {
    if (bytes[at] !== 0 || (wide && bytes[at + 1] !== 0)) continue;
    texts.push(bytes.subarray(start, at));
    start = at + (wide ? 2 : 1);
  }
  texts.push(bytes.subarray(start));
  return texts;
}

/** A text by its encoding byte, trailing NULs dropped, values between NULs (ID3v2.4 §4.2) joined by `; `. */
export function decodeId3Text(encoding: number, bytes: Uint8Array): DecodedText {
  const { text, ...evidence } = decodeWhole(encoding, bytes);
  return { text: withoutFilling(text).replaceAll(/\0+/g, '; '), ...evidence };
}

function decodeWhole(encoding: number, bytes: Uint8Array): DecodedText {
  if (encoding === UTF_16 || encoding === UTF_16_BE) {
    return { text: decodeUtf16(bytes, encoding === UTF_16_BE), encoding: 'UTF-16, byte order mark' };
  }
  const utf8 = decodeUtf8(bytes);
  if (utf8?.length === bytes.length) return { text: utf8, encoding: 'ASCII' };
  if (encoding === UTF_8) return utf8 === undefined ? windows1252(bytes) : { text: utf8, encoding: 'UTF-8' };
  // Many programs label UTF-8 as Latin-1 (common practice): text that happens to be valid UTF-8 beyond ASCII is not meant otherwise.
  if (utf8 !== undefined) return { text: utf8, encoding: 'UTF-8, labelled Latin-1' };
  return { text: decodeWindows1252(bytes), encoding: 'Latin-1' };
}

const windows1252 = (bytes: Uint8Array): DecodedText => ({
  text: decodeWindows1252(bytes),
  encoding: 'Windows-1252, not valid UTF-8',
});

/** The encoding byte and the encoders for a set of texts of one frame: UTF-8 from version 2.4 on, before that Latin-1 where it can hold them, else UTF-16. */
export function textEncoder(
  version: number,
  texts: readonly string[],
): { byte: number; encode: (text: string) => Uint8Array } {
  if (version >= 4) return { byte: UTF_8, encode: (text) => new TextEncoder().encode(text) };
  if (texts.every(fitsLatin1)) return { byte: LATIN_1, encode: latin1 };
  return { byte: UTF_16, encode: utf16 };
}

const latin1 = (text: string): Uint8Array => Uint8Array.from(text, (character) => character.charCodeAt(0));

/** Whether Latin-1 holds the text in a way that nobody takes for UTF-8. */
function fitsLatin1(text: string): boolean {
  if (!/^[\n\r\x20-\x7e\xa0-\xff]*$/.test(text)) return false;
  const bytes = latin1(text);
  return (decodeUtf8(bytes)?.length ?? bytes.length) === bytes.length;
}

function utf16(text: string): Uint8Array {
  const bytes = new Uint8Array(2 + text.length * 2);
  bytes.set([0xff, 0xfe]);
  for (let index = 0; index < text.length; index += 1) {
    const unit = text.charCodeAt(index);
    bytes[2 + index * 2] = unit & 0xff;
    bytes[3 + index * 2] = unit >> 8;
  }
  return bytes;
}

/** The NUL that ends a text which more follows. */
export function terminated(encoding: number, text: Uint8Array): Uint8Array {
  return concatBytes([text, new Uint8Array(encoding === UTF_16 || encoding === UTF_16_BE ? 2 : 1)]);
}
