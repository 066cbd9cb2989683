import { FormatError, type Issue } from '../../errors.ts';
import { audioFile, type AudioFacts, type AudioFile, type SampleFormat } from '../audio-file.ts';
import { asciiOf, readExactly, viewOf, type ByteSource } from '../byte-source.ts';

/** Core Audio Format, "Apple Core Audio Format Specification 1.0" (from memory): chunks with a 64-bit big-endian size. Read only. */
export interface CafChunk {
  id: string;
  offset: number;
  dataOffset: number;
  sizeBytes: number;
}

const MAX_CHUNKS = 10_000;
const IS_FLOAT = 1;
const IS_LITTLE_ENDIAN = 2;

/** The chunks in order. A size of -1 is allowed for the audio and means up to the end. */
export async function readCafChunks(source: ByteSource): Promise<{ value: CafChunk[]; issues: Issue[] }> {
  const header = await readExactly(source, 'CAF', 0, 8);
  if (asciiOf(header.subarray(0, 4)) !== 'caff')
    throw new FormatError('FORMAT_UNKNOWN', 'CAF', 'It does not begin with a CAF header.', 0);
  const issues: Issue[] = [];
  const chunks: CafChunk[] = [];
  let offset = 8;
  while (offset + 12 <= source.sizeBytes && chunks.length < MAX_CHUNKS) {
    const head = await readExactly(source, 'CAF', offset, 12);
    const id = asciiOf(head.subarray(0, 4));
    const declared = Number(viewOf(head).getBigInt64(4));
    const room = source.sizeBytes - offset - 12;
    if (declared > room || (declared < 0 && id !== 'data')) {
      const message = `Chunk “${id}” claims ${declared} bytes, ${room} are there.`;
      issues.push({ code: 'CHUNK_BEYOND_END', message, offsetBytes: offset });
    }
    const sizeBytes = declared < 0 ? room : Math.min(declared, room);
    chunks.push({ id, offset, dataOffset: offset + 12, sizeBytes });
    offset += 12 + sizeBytes;
  }
  return { value: chunks, issues };
}

/** What a CAF file says of its audio; its texts are not read. */
export async function readCaf(source: ByteSource): Promise<AudioFile> {
  const { value: chunks, issues } = await readCafChunks(source);
  const description = chunks.find((chunk) => chunk.id === 'desc' && chunk.sizeBytes >= 32);
  const data = chunks.find((chunk) => chunk.id === 'data' && chunk.sizeBytes >= 4);
  if (!description || !data)
    throw new FormatError('FORMAT_DAMAGED', 'CAF', 'Its description or its audio is missing.', 8);
  const facts = factsOf(await readExactly(source, 'CAF', description.dataOffset, 32), data);
  if (issues.some(({ code, offsetBytes }) => code === 'CHUNK_BEYOND_END' && offsetBytes === data.offset))
    facts.isCutShort = true;
  const packets = chunks.find((chunk) => chunk.id === 'pakt' && chunk.sizeBytes >= 24);
  if (packets && facts.frameBytes === 0) {
    facts.frames = Number(viewOf(await readExactly(source, 'CAF', packets.dataOffset, 24)).getBigInt64(8));
    facts.durationSeconds = facts.frames / facts.sampleRateHz;
  }
  return audioFile(facts, {}, issues);
}

const FORMATS: Record<string, { codec: string; sampleFormat: SampleFormat }> = {
  alaw: { codec: 'A-law', sampleFormat: 'alaw' },
  ulaw: { codec: 'mu-law', sampleFormat: 'mulaw' },
};

function factsOf(bytes: Uint8Array, data: CafChunk): AudioFacts {
  const view = viewOf(bytes);
  const sampleRateHz = Math.round(view.getFloat64(0));
  const id = asciiOf(bytes.subarray(8, 12));
  const flags = view.getUint32(12);
  const packetFrames = view.getUint32(20);
  const channels = view.getUint32(24);
  const stated = view.getUint32(28);
  if (!(sampleRateHz >= 1) || channels === 0 || channels > 1024)
    throw new FormatError('FORMAT_DAMAGED', 'CAF', 'Its description names no usable rate or channels.', 8);
  const linear = id === 'lpcm';
  const { codec, sampleFormat } = linear
    ? {
        codec: flags & IS_FLOAT ? 'IEEE float' : 'PCM',
        sampleFormat: flags & IS_FLOAT ? ('float' as const) : ('integer' as const),
      }
    : (FORMATS[id] ?? { codec: id.trim(), sampleFormat: 'coded' as const });
  const bitDepth = sampleFormat === 'alaw' || sampleFormat === 'mulaw' ? 8 : linear ? stated : 0;
  if (linear && (bitDepth < 8 || bitDepth > 64))
    throw new FormatError('FORMAT_DAMAGED', 'CAF', `Its description names samples of ${bitDepth} bits.`, 8);
  const frameBytes = Math.ceil(bitDepth / 8) * channels;
  // The audio begins with an edit count of four bytes.
  const audioBytes = data.sizeBytes - 4;
  const frames = frameBytes > 0 ? Math.floor(audioBytes / frameBytes) : packetFrames;
  return {
    container: 'CAF',
    codec,
    sampleFormat,
    sampleRateHz,
    bitDepth,
    channels,
    frames,
    durationSeconds: frames / sampleRateHz,
    audioOffset: data.dataOffset + 4,
    audioBytes,
    frameBytes,
    bigEndian: (flags & IS_LITTLE_ENDIAN) === 0,
    ...(sampleFormat === 'integer' && bitDepth === 8 ? { signedBytes: true } : {}),
  };
}
