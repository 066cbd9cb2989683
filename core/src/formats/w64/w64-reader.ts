import { FormatError, type Issue } from '../../errors.ts';
import { audioFile, type AudioFile } from '../audio-file.ts';
import { asciiOf, bytesOfAscii, concatBytes, readExactly, sameBytes, viewOf, type ByteSource } from '../byte-source.ts';
import { parseWavFormat } from '../wav/format-chunk.ts';

/**
 * Wave64: WAVE with chunks whose identifiers are GUIDs and whose sizes have 64 bits, the header counted, each on a boundary of eight bytes (Sonic
 * Foundry, “Wave64 file format”; from memory, checked against libsndfile and ffmpeg in the tests). Read only.
 */
export interface W64Chunk {
  /** The four letters that the GUID begins with, as in WAVE. */
  id: string;
  offset: number;
  dataOffset: number;
  sizeBytes: number;
}

const GUID_BYTES = 16;
const HEADER_BYTES = GUID_BYTES + 8;
const FORM_BYTES = HEADER_BYTES + GUID_BYTES;
const MAX_CHUNKS = 10_000;
/** How the GUIDs of `riff` and lists end, and those of all others. */
const FORM_GUID = concatBytes([
  bytesOfAscii('riff'),
  Uint8Array.of(0x2e, 0x91, 0xcf, 0x11, 0xa5, 0xd6, 0x28, 0xdb, 0x04, 0xc1, 0x00, 0x00),
]);
const WAVE_GUID = concatBytes([
  bytesOfAscii('wave'),
  Uint8Array.of(0xf3, 0xac, 0xd3, 0x11, 0x8c, 0xd1, 0x00, 0xc0, 0x4f, 0x8e, 0xdb, 0x8a),
]);

/** Whether bytes begin as those of a Wave64 file do; 40 are needed. */
export function isW64(head: Uint8Array): boolean {
  return (
    sameBytes(head.subarray(0, GUID_BYTES), FORM_GUID) && sameBytes(head.subarray(HEADER_BYTES, FORM_BYTES), WAVE_GUID)
  );
}

/** The chunks in order, found by their headers alone. Survives lying sizes with an issue. */
export async function readW64Chunks(source: ByteSource): Promise<{ value: W64Chunk[]; issues: Issue[] }> {
  if (!isW64(await readExactly(source, 'W64', 0, FORM_BYTES)))
    throw new FormatError('FORMAT_UNKNOWN', 'W64', 'It does not begin with a Wave64 header.', 0);
  const issues: Issue[] = [];
  const chunks: W64Chunk[] = [];
  for (let offset = FORM_BYTES; offset + HEADER_BYTES <= source.sizeBytes && chunks.length < MAX_CHUNKS;) {
    const head = await readExactly(source, 'W64', offset, HEADER_BYTES);
    const id = asciiOf(head.subarray(0, 4));
    const declared = Number(viewOf(head).getBigUint64(GUID_BYTES, true)) - HEADER_BYTES;
    const room = source.sizeBytes - offset - HEADER_BYTES;
    if (declared < 0 || declared > room) {
      const message = `Chunk “${id}” claims ${Math.max(0, declared)} bytes, ${room} are there.`;
      issues.push({ code: 'CHUNK_BEYOND_END', message, offsetBytes: offset });
    }
    const sizeBytes = declared < 0 ? room : Math.min(declared, room);
    chunks.push({ id, offset, dataOffset: offset + HEADER_BYTES, sizeBytes });
    offset += HEADER_BYTES + Math.ceil(sizeBytes / 8) * 8;
  }
  return { value: chunks, issues };
}

/** What a Wave64 file says of its audio; its texts are not read. Throws FORMAT_DAMAGED without a format or audio. */
export async function readW64(source: ByteSource): Promise<AudioFile> {
  const { value: chunks, issues } = await readW64Chunks(source);
  const formatChunk = chunks.find(({ id }) => id === 'fmt ');
  const data = chunks.find(({ id }) => id === 'data');
  if (!formatChunk || !data)
    throw new FormatError('FORMAT_DAMAGED', 'W64', 'Its format or its audio is missing.', FORM_BYTES);
  const contents = await source.read(formatChunk.dataOffset, Math.min(formatChunk.sizeBytes, 64));
  const format = parseWavFormat(contents, formatChunk.offset);
  const isPcm = format.sampleFormat !== 'coded';
  const seconds = format.bytesPerSecond > 0 ? data.sizeBytes / format.bytesPerSecond : 0;
  const frames = isPcm ? Math.floor(data.sizeBytes / format.blockAlign) : Math.round(seconds * format.sampleRateHz);
  const { blockAlign, bytesPerSecond: _bytesPerSecond, ...told } = format;
  const facts = {
    ...(issues.some(({ offsetBytes }) => offsetBytes === data.offset) ? { isCutShort: true } : {}),
    ...(isPcm ? {} : { isLengthEstimated: true }),
    container: 'W64' as const,
    ...told,
    frames,
    durationSeconds: frames / format.sampleRateHz,
    audioOffset: data.dataOffset,
    audioBytes: data.sizeBytes,
    frameBytes: isPcm ? blockAlign : 0,
    bigEndian: false,
  };
  return audioFile(facts, {}, issues);
}
