import { FormatError, type Issue } from '../../errors.ts';
import { asciiOf, readExactly, type ByteSource } from '../byte-source.ts';
import { iffChunkBytes, readIffChunks, type IffChunk } from '../iff-chunks.ts';

/** AIFF: "Audio Interchange File Format, version 1.3" (Apple, 1989); AIFF-C: draft of 1991. Chunks as in RIFF, sizes big-endian. */
export type AiffChunk = IffChunk;

export interface AiffForm {
  compressed: boolean;
  chunks: AiffChunk[];
  /** Where the last chunk ends. */
  endOffset: number;
}

const KNOWN_CHUNKS: ReadonlySet<string> = new Set(
  'COMM,SSND,MARK,INST,COMT,NAME,AUTH,(c) ,ANNO,APPL,AESD,MIDI,SAXL,FVER,CHAN,ID3 ,iXML'.split(','),
);

/** The chunks of an AIFF or AIFF-C file in order, found by their headers alone. Survives lying sizes with an issue. */
export async function readAiffChunks(source: ByteSource): Promise<{ value: AiffForm; issues: Issue[] }> {
  const header = await readExactly(source, 'AIFF', 0, 12);
  const form = asciiOf(header.subarray(8, 12));
  if (asciiOf(header.subarray(0, 4)) !== 'FORM' || (form !== 'AIFF' && form !== 'AIFC')) {
    throw new FormatError('FORMAT_UNKNOWN', 'AIFF', 'It does not begin with an AIFF header.', 0);
  }
  const { issues, ...found } = await readIffChunks(source, {
    format: 'AIFF',
    littleEndian: false,
    known: KNOWN_CHUNKS,
    sound: 'SSND',
  });
  return { value: { compressed: form === 'AIFC', ...found }, issues };
}

/** A chunk's bytes: header, contents, pad byte. */
export function aiffChunkBytes(id: string, contents: Uint8Array): Uint8Array<ArrayBuffer> {
  return iffChunkBytes(id, contents, false);
}
