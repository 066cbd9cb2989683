import { FormatError, type Issue } from '../../errors.ts';
import { asciiOf, readExactly, viewOf, type ByteSource } from '../byte-source.ts';
import { iffChunkBytes, readIffChunks, type IffChunk } from '../iff-chunks.ts';

/** RIFF, and RIFX with all numbers big-endian, as in Microsoft's and IBM's "Multimedia Programming Interface and Data Specifications 1.0"; RF64 as in EBU Tech 3306, BW64 as in ITU-R BS.2088. */
export type RiffForm = 'RIFF' | 'RIFX' | 'RF64' | 'BW64';

export type RiffChunk = IffChunk;

export interface RiffFile {
  form: RiffForm;
  chunks: RiffChunk[];
  /** Where the last chunk ends; bytes beyond it belong to no chunk and are kept. */
  endOffset: number;
}

const UNKNOWN_32 = 0xffffffff;
const DS64_MIN_BYTES = 24;
const KNOWN_CHUNKS: ReadonlySet<string> = new Set(
  'fmt ,data,fact,LIST,cue ,plst,smpl,inst,PEAK,bext,iXML,axml,chna,_PMX,id3 ,ID3 ,JUNK,PAD ,FLLR,DISP,acid,cart,umid,minf,ds64'.split(
    ',',
  ),
);

/**
 * The chunks of a WAVE file in order, found by their headers alone: the audio is skipped by its size. Throws FormatError when it
 * is no RIFF/WAVE file; survives lying sizes with an issue.
 */
export async function readRiffChunks(source: ByteSource): Promise<{ value: RiffFile; issues: Issue[] }> {
  const header = await readExactly(source, 'RIFF', 0, 12);
  const form = asciiOf(header.subarray(0, 4));
  if (!isRiffForm(form) || asciiOf(header.subarray(8, 12)) !== 'WAVE') {
    throw new FormatError('FORMAT_UNKNOWN', 'RIFF', 'It does not begin with a RIFF/WAVE header.', 0);
  }
  let longSizes: Map<string, number> | undefined;
  const { issues, ...found } = await readIffChunks(source, {
    format: 'RIFF',
    littleEndian: form !== 'RIFX',
    known: KNOWN_CHUNKS,
    sound: 'data',
    sizeOf: (id, stated) => (stated === UNKNOWN_32 ? (longSizes?.get(id) ?? stated) : stated),
    onChunk: async (chunk) => {
      if (chunk.id === 'ds64' && !form.startsWith('RIF')) longSizes = await readLongSizes(source, chunk);
    },
  });
  return { value: { form, ...found }, issues };
}

function isRiffForm(text: string): text is RiffForm {
  return text === 'RIFF' || text === 'RIFX' || text === 'RF64' || text === 'BW64';
}

/** EBU Tech 3306 §3.5: riffSize, dataSize and sampleCount as 64-bit numbers, then a table of further long chunks. */
async function readLongSizes(source: ByteSource, chunk: RiffChunk): Promise<Map<string, number>> {
  if (chunk.sizeBytes < DS64_MIN_BYTES) {
    throw new FormatError('FORMAT_DAMAGED', 'RF64', 'Its ds64 chunk is too short to hold the sizes.', chunk.offset);
  }
  const bytes = await readExactly(source, 'RF64', chunk.dataOffset, Math.min(chunk.sizeBytes, 64 * 1024));
  const view = viewOf(bytes);
  const sizes = new Map<string, number>([['data', Number(view.getBigUint64(8, true))]]);
  const entries = bytes.length >= 28 ? view.getUint32(24, true) : 0;
  for (let at = 28, entry = 0; entry < entries && at + 12 <= bytes.length; entry += 1, at += 12) {
    sizes.set(asciiOf(bytes.subarray(at, at + 4)), Number(view.getBigUint64(at + 4, true)));
  }
  return sizes;
}

/** A chunk's bytes: header, contents, pad byte. */
export function riffChunkBytes(id: string, contents: Uint8Array): Uint8Array<ArrayBuffer> {
  return iffChunkBytes(id, contents, true);
}
