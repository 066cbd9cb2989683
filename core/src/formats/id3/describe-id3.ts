import { viewOf } from '../byte-source.ts';
import { hexDump, type BlockDetail, type FileBlock } from '../file-block.ts';
import { decodeId3Text, splitTexts } from './id3-text.ts';
import { id3Texts, longFrameId } from './id3-fields.ts';
import type { Id3Frame, Id3Tag } from './id3-tag.ts';

/** A tag as a block: every frame with its text, times of chapters, sizes of pictures. */
export function describeId3Tag(tag: Id3Tag): FileBlock {
  return {
    id: `ID3v2.${tag.version}`,
    what: 'ID3 tag',
    offsetBytes: tag.offset,
    sizeBytes: tag.sizeBytes,
    kind: 'metadata',
    details: id3Details(tag),
  };
}

/** The frames of a tag, in order, and its padding. */
function id3Details(tag: Id3Tag): BlockDetail[] {
  const details = tag.frames.map((frame) => ({ name: frame.id, value: frameValue(frame) }));
  return [...details, { name: 'Padding', value: `${tag.paddingBytes} bytes` }];
}

function frameValue(frame: Id3Frame): string {
  const id = longFrameId(frame.id);
  if (!frame.contents) return `${frame.sizeBytes} bytes${frame.raw ? ', compressed or encrypted' : ''}`;
  const [entry] = id3Texts({ frames: [frame] });
  if (entry) {
    const [key, { text, encoding }] = entry;
    const name = key.includes(':') ? `${key.slice(key.indexOf(':') + 1)} = ` : '';
    return `${name}${text}${encoding === 'UTF-8, labelled Latin-1' ? ` (${encoding})` : ''}`;
  }
  if (id === 'CHAP') return chapter(frame.contents);
  if (id === 'USLT') {
    const encoding = frame.contents[0] ?? 0;
    const [, text = new Uint8Array(0)] = splitTexts(encoding, frame.contents.subarray(4), 2);
    return decodeId3Text(encoding, text).text;
  }
  return hexDump(frame.contents.subarray(0, 48));
}

/** "ID3v2 Chapter Frame Addendum 1.0" §3.1: an element's name, its start and end in milliseconds, two byte offsets, frames of its own. */
function chapter(contents: Uint8Array): string {
  const [name = new Uint8Array(0), rest = new Uint8Array(0)] = splitTexts(0, contents, 2);
  if (rest.length < 8) return `${contents.length} bytes`;
  const view = viewOf(rest);
  return `${decodeId3Text(0, name).text}: ${view.getUint32(0) / 1000} s to ${view.getUint32(4) / 1000} s`;
}
