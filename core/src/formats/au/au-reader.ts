import { FormatError, type Issue } from '../../errors.ts';
import { audioFile, type AudioFile, type SampleFormat } from '../audio-file.ts';
import { asciiOf, readExactly, viewOf, type ByteSource } from '../byte-source.ts';

/** The header of Sun's and NeXT's audio files (Sun, “audio(5)”/au.h; from memory): six big-endian numbers, an annotation, the audio. Read only. */
const HEADER_BYTES = 24;
const UNSET_SIZE = 0xffffffff;
const CODED = { sampleFormat: 'coded' as const, bitDepth: 0 };
const ENCODINGS: Record<number, { codec: string; sampleFormat: SampleFormat; bitDepth: number }> = {
  1: { codec: 'mu-law', sampleFormat: 'mulaw', bitDepth: 8 },
  2: { codec: 'PCM', sampleFormat: 'integer', bitDepth: 8 },
  3: { codec: 'PCM', sampleFormat: 'integer', bitDepth: 16 },
  4: { codec: 'PCM', sampleFormat: 'integer', bitDepth: 24 },
  5: { codec: 'PCM', sampleFormat: 'integer', bitDepth: 32 },
  6: { codec: 'IEEE float', sampleFormat: 'float', bitDepth: 32 },
  7: { codec: 'IEEE float', sampleFormat: 'float', bitDepth: 64 },
  23: { codec: 'G.721', ...CODED },
  24: { codec: 'G.722', ...CODED },
  27: { codec: 'A-law', sampleFormat: 'alaw', bitDepth: 8 },
};

/** What an AU file says of its audio. Throws FORMAT_DAMAGED for a header that cannot describe audio. */
export async function readAu(source: ByteSource): Promise<AudioFile> {
  const header = await readExactly(source, 'AU', 0, HEADER_BYTES);
  if (asciiOf(header.subarray(0, 4)) !== '.snd')
    throw new FormatError('FORMAT_UNKNOWN', 'AU', 'It does not begin with an AU header.', 0);
  const view = viewOf(header);
  const [audioOffset, stated, encoding, sampleRateHz, channels] = [4, 8, 12, 16, 20].map((at) =>
    view.getUint32(at),
  ) as [number, number, number, number, number];
  const issues: Issue[] = [];
  const room = source.sizeBytes - audioOffset;
  if (audioOffset < HEADER_BYTES || room < 0)
    throw new FormatError('FORMAT_DAMAGED', 'AU', `Its audio should begin at byte ${audioOffset}, which cannot be.`, 4);
  if (stated !== UNSET_SIZE && stated > room) {
    const message = `The header claims ${stated} bytes of audio, ${room} are there.`;
    issues.push({ code: 'CHUNK_BEYOND_END', message, offsetBytes: 8 });
  }
  const audioBytes = Math.min(stated, room);
  const known = ENCODINGS[encoding] ?? { codec: `encoding ${encoding}`, ...CODED };
  const frameBytes = (known.bitDepth / 8) * channels;
  const frames = frameBytes > 0 ? Math.floor(audioBytes / frameBytes) : 0;
  const facts = {
    container: 'AU' as const,
    ...known,
    sampleRateHz,
    channels,
    frames,
    durationSeconds: sampleRateHz > 0 ? frames / sampleRateHz : 0,
    audioOffset,
    audioBytes,
    frameBytes,
    bigEndian: true,
    ...(issues.length > 0 ? { isCutShort: true } : {}),
    ...(known.sampleFormat === 'integer' && known.bitDepth === 8 ? { signedBytes: true } : {}),
  };
  return audioFile(facts, {}, issues);
}
