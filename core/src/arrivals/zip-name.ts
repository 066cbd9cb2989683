/** Of the general purpose bits: names are UTF-8 (APPNOTE.TXT §4.4.4, bit 11). */
const UTF8_FLAG = 0x0800;
/** The Info-ZIP Unicode Path extra field (APPNOTE.TXT §4.6.9). */
const UNICODE_PATH = 0x7075;

/** Characters 0x80 to 0xFF of IBM code page 437, in which names are where nothing else is said (APPNOTE.TXT appendix D.1); from memory of the Unicode Consortium's CP437.TXT. */
const CODE_PAGE_437 =
  'ÇüéâäàåçêëèïîìÄÅÉæÆôöòûùÿÖÜ¢£¥₧ƒáíóúñÑªº¿⌐¬½¼¡«»░▒▓│┤╡╢╖╕╣║╗╝╜╛┐└┴┬├─┼╞╟╚╔╩╦╠═╬╧╨╤╥╙╘╒╓╫╪┘┌█▄▌▐▀αßΓπΣσµτΦΘΩδ∞φε∩≡±≥≤⌠⌡÷≈°∙·√ⁿ²■\u00a0';

/** The name of an entry as it stands in a ZIP file. */
export interface RawZipName {
  bytes: Uint8Array;
  flags: number;
  extraFields: readonly { id: number; data: Uint8Array }[];
}

/**
 * The name of an entry as text. Said to be UTF-8, in a field of its own, or valid UTF-8 whatever is said: as that. Else as Shift-JIS where that gives Japanese; else
 * as code page 437. `isGuessed` tells that the ZIP file does not say what its name is written in.
 */
export function zipName({ bytes, flags, extraFields }: RawZipName): { name: string; isGuessed: boolean } {
  const told = extraFields.find(({ id }) => id === UNICODE_PATH);
  // One byte of version, four of a checksum of the other name, then the name.
  const named = told && decoded('utf-8', told.data.subarray(5));
  if (named) return { name: named, isGuessed: false };
  const utf8 = decoded('utf-8', bytes);
  if (utf8 !== undefined)
    return { name: utf8, isGuessed: (flags & UTF8_FLAG) === 0 && bytes.some((byte) => byte > 127) };
  const japanese = decoded('shift_jis', bytes);
  if (japanese !== undefined && isJapanese(japanese)) return { name: japanese, isGuessed: true };
  const name = Array.from(bytes, (byte) =>
    byte < 128 ? String.fromCharCode(byte) : (CODE_PAGE_437[byte - 128] ?? ''),
  );
  return { name: name.join(''), isGuessed: true };
}

/** Two kana at least, and beside them nothing but kanji and what is ASCII: names of other languages give one by accident, and then other signs too. */
function isJapanese(text: string): boolean {
  return (
    (text.match(/[\u3041-\u30ff]/g)?.length ?? 0) >= 2 &&
    /^[\x20-\x7e\u3005\u3041-\u30ff\u4e00-\u9fff\uff10-\uff5a]+$/.test(text)
  );
}

function decoded(encoding: string, bytes: Uint8Array): string | undefined {
  try {
    return new TextDecoder(encoding, { fatal: true }).decode(bytes);
  } catch {
    // Bytes that mean nothing in it: it is another encoding.
    return undefined;
  }
}
