import { asciiOf, viewOf, type ByteSource } from '../byte-source.ts';
import {
  describeChunk,
  detailsOf,
  FieldReader,
  type BlockDetail,
  type ChunkKind,
  type FileBlock,
} from '../file-block.ts';
import { describeId3Tag } from '../id3/describe-id3.ts';
import { readId3Tag } from '../id3/id3-tag.ts';
import { describeComment, parseVorbisComment } from '../vorbis-comment.ts';
import { FLAC_BLOCK_NAMES, readFlacBlocks } from './flac-blocks.ts';

/** The blocks of RFC 9639 §8.2 to §8.8 by type. */
const KINDS: readonly ChunkKind[] = [
  { what: 'Format', kind: 'structure', decode: streamDetails },
  { what: 'Padding', kind: 'padding' },
  { what: 'Data of an application', kind: 'metadata', decode: applicationDetails },
  { what: 'Seek points', kind: 'structure', decode: (bytes) => detailsOf({ Points: Math.floor(bytes.length / 18) }) },
  {
    what: 'Vorbis comments',
    kind: 'metadata',
    decode: (bytes, offset) => describeComment(parseVorbisComment(bytes, offset).value),
  },
  { what: 'Cue sheet', kind: 'metadata', decode: cueSheetDetails },
  { what: 'Picture', kind: 'metadata', decode: pictureDetails },
];

/** Every metadata block of a FLAC file in order, with its contents, and the audio. */
export async function describeFlac(source: ByteSource): Promise<FileBlock[]> {
  const { value: layout } = await readFlacBlocks(source);
  const tag = layout.markerOffset > 0 ? await readId3Tag(source, 0) : undefined;
  const blocks: FileBlock[] = tag ? [describeId3Tag(tag)] : [];
  for (const block of layout.blocks) {
    const id = FLAC_BLOCK_NAMES[block.type] ?? `type ${block.type}`;
    blocks.push(await describeChunk(source, { ...block, id }, KINDS[block.type]));
  }
  const sizeBytes = source.sizeBytes - layout.framesOffset;
  return [
    ...blocks,
    { id: 'frames', what: 'Audio', offsetBytes: layout.framesOffset, sizeBytes, kind: 'audio', details: [] },
  ];
}

function streamDetails(bytes: Uint8Array): BlockDetail[] {
  const view = viewOf(bytes);
  const packed = view.getUint32(10);
  return detailsOf({
    'Block sizes': `${view.getUint16(0)} to ${view.getUint16(2)} samples`,
    'Sample rate': `${packed >>> 12} Hz`,
    Channels: ((packed >>> 9) & 7) + 1,
    Bits: ((packed >>> 4) & 31) + 1,
    Frames: (view.getUint8(13) & 15) * 2 ** 32 + view.getUint32(14),
    'MD5 of the samples': Array.from(bytes.subarray(18, 34), (byte) => byte.toString(16).padStart(2, '0')).join(''),
  });
}

/** An application's identifier; `riff` and `aiff` hold chunks of the file that was encoded (common practice). */
function applicationDetails(bytes: Uint8Array): BlockDetail[] {
  const id = asciiOf(bytes.subarray(0, 4));
  const chunk = id === 'riff' || id === 'aiff' ? asciiOf(bytes.subarray(4, 8)) : undefined;
  return detailsOf({ Application: id, Chunk: chunk, Bytes: bytes.length - 4 });
}

function cueSheetDetails(bytes: Uint8Array): BlockDetail[] {
  const fields = new FieldReader(bytes, false);
  const details = detailsOf({ Catalogue: fields.text(128), 'Lead-in': `${fields.uint64()} samples` });
  fields.take(259);
  const tracks = fields.uint8();
  for (let track = 0; track < tracks; track += 1) {
    const [offset, number, isrc] = [fields.uint64(), fields.uint8(), fields.text(12)];
    fields.take(14);
    const indexes = fields.uint8();
    details.push({
      name: `Track ${number}`,
      value: `sample ${offset}${isrc ? `, ${isrc}` : ''}, ${indexes} index points`,
    });
    fields.take(indexes * 12);
  }
  return details;
}

function pictureDetails(bytes: Uint8Array): BlockDetail[] {
  const fields = new FieldReader(bytes, false);
  return detailsOf({
    Type: fields.uint32(),
    'Media type': fields.text(fields.uint32()),
    Description: fields.text(fields.uint32()),
    Size: `${fields.uint32()} x ${fields.uint32()}`,
  });
}
