import type { ByteSource } from '../byte-source.ts';
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
import { decodeText } from '../text-encoding.ts';
import { xmlDetails } from '../wav/wav-chunk-kinds.ts';
import { readAiffChunks } from './aiff-chunks.ts';
import { parseAiffCommon } from './common-chunk.ts';

const text = (what: string): ChunkKind => ({
  what,
  kind: 'metadata',
  decode: (bytes) => [{ name: 'Text', value: decodeText(bytes) }],
});

/** The chunks of AIFF 1.3 and the AIFF-C draft beside SSND. */
const KINDS: Record<string, ChunkKind> = {
  SSND: { what: 'Audio', kind: 'audio' },
  FVER: {
    what: 'Version of AIFF-C',
    kind: 'structure',
    decode: (bytes) => detailsOf({ Timestamp: `0x${new FieldReader(bytes, false).uint32().toString(16)}` }),
  },
  NAME: text('Name'),
  AUTH: text('Author'),
  '(c) ': text('Copyright'),
  ANNO: text('Annotation'),
  COMT: { what: 'Comments', kind: 'metadata', decode: commentDetails },
  MARK: { what: 'Markers', kind: 'metadata', decode: markerDetails },
  INST: { what: 'Instrument', kind: 'metadata', decode: instrumentDetails },
  iXML: { what: 'iXML', kind: 'metadata', decode: xmlDetails },
};

/** Every chunk of an AIFF or AIFF-C file in order, with its contents. */
export async function describeAiff(source: ByteSource): Promise<FileBlock[]> {
  const { value: form } = await readAiffChunks(source);
  const common: ChunkKind = {
    what: 'Format',
    kind: 'structure',
    decode: (bytes, offset) => commonDetails(bytes, form.compressed, offset),
  };
  const blocks: FileBlock[] = [
    {
      id: form.compressed ? 'AIFC' : 'AIFF',
      what: 'File header',
      offsetBytes: 0,
      sizeBytes: 12,
      kind: 'structure',
      details: [],
    },
  ];
  for (const chunk of form.chunks) {
    const tag = chunk.id === 'ID3 ' ? await readId3Tag(source, chunk.dataOffset) : undefined;
    if (tag) blocks.push({ ...describeId3Tag(tag), id: 'ID3 ', offsetBytes: chunk.offset, sizeBytes: chunk.spanBytes });
    else blocks.push(await describeChunk(source, chunk, chunk.id === 'COMM' ? common : KINDS[chunk.id]));
  }
  return blocks;
}

function commonDetails(bytes: Uint8Array, compressed: boolean, offset: number): BlockDetail[] {
  const common = parseAiffCommon(bytes, compressed, offset);
  return detailsOf({
    Codec: common.codec,
    Channels: common.channels,
    Frames: common.frames,
    'Sample rate': `${common.sampleRateHz} Hz`,
    Bits: common.bitDepth || undefined,
    'Byte order': common.bigEndian ? 'big-endian' : 'little-endian',
  });
}

/** Seconds from 1904 to 1970, the epochs of the Macintosh and of Unix. */
const MACINTOSH_EPOCH_SECONDS = 2_082_844_800;

function commentDetails(bytes: Uint8Array): BlockDetail[] {
  const fields = new FieldReader(bytes, false);
  return Array.from({ length: Math.min(fields.uint16(), 1000) }, () => {
    const at = new Date((fields.uint32() - MACINTOSH_EPOCH_SECONDS) * 1000).toISOString().slice(0, 19);
    const marker = fields.int16();
    const length = fields.uint16();
    const value = fields.text(length);
    if (length % 2 === 1 && fields.left > 0) fields.take(1);
    return { name: marker === 0 ? at : `${at}, marker ${marker}`, value };
  });
}

function markerDetails(bytes: Uint8Array): BlockDetail[] {
  const fields = new FieldReader(bytes, false);
  return Array.from({ length: Math.min(fields.uint16(), 65_535, Math.floor(fields.left / 8)) }, () => {
    const [id, position, length] = [fields.int16(), fields.uint32(), fields.uint8()];
    const name = fields.text(length);
    // A Pascal string takes an even number of bytes with its length byte.
    if (length % 2 === 0 && fields.left > 0) fields.take(1);
    return { name: `Marker ${id}`, value: `sample ${position} ${name}`.trimEnd() };
  });
}

function instrumentDetails(bytes: Uint8Array): BlockDetail[] {
  const fields = new FieldReader(bytes, false);
  const loop = (): string => `mode ${fields.int16()}, markers ${fields.int16()} to ${fields.int16()}`;
  return detailsOf({
    'Base note': fields.uint8(),
    Detune: `${fields.int8()} cents`,
    'Low note': fields.uint8(),
    'High note': fields.uint8(),
    'Low velocity': fields.uint8(),
    'High velocity': fields.uint8(),
    Gain: `${fields.int16()} dB`,
    'Sustain loop': loop(),
    'Release loop': loop(),
  });
}
