import { pathToFileURL } from 'node:url';

export interface PlaylistEntry {
  path: string;
  title: string;
  seconds: number;
}

/**
 * A list that players open, piece by piece: M3U8 (RFC 8216 names the tags `#EXTM3U` and `#EXTINF`; whole seconds and a title, then the path, are common
 * practice), or XSPF version 1 (xspf.org), with addresses of files and lengths in milliseconds.
 */
export async function* playlist(
  entries: AsyncIterable<PlaylistEntry>,
  format: 'm3u8' | 'xspf',
): AsyncGenerator<string> {
  if (format === 'm3u8') {
    yield '#EXTM3U\n';
    for await (const { path, title, seconds } of entries)
      // A line break within would begin another entry.
      yield `#EXTINF:${Math.round(seconds)},${oneLine(title)}\n${oneLine(path)}\n`;
    return;
  }
  yield '<?xml version="1.0" encoding="UTF-8"?>\n<playlist version="1" xmlns="http://xspf.org/ns/0/">\n  <trackList>\n';
  for await (const { path, title, seconds } of entries)
    yield `    <track><location>${escaped(pathToFileURL(path).href)}</location><title>${escaped(title)}</title><duration>${Math.round(seconds * 1000)}</duration></track>\n`;
  yield '  </trackList>\n</playlist>\n';
}

const oneLine = (text: string): string => text.replace(/[\r\n]+/g, ' ');

/** Text of XML 1.0: what would be markup is escaped, characters that XML has no place for are left out. */
function escaped(text: string): string {
  return (
    text
      // eslint-disable-next-line no-control-regex -- these are what XML 1.0 does not allow
      .replace(/[\u0000-\u0008\u000b\u000c\u000e-\u001f\ufffe\uffff]/g, '')
      .replaceAll('&', '&amp;')
      .replaceAll('<', '&lt;')
      .replaceAll('>', '&gt;')
  );
}
