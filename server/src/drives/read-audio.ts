import { createHash } from 'node:crypto';
import { FormatError } from '@flagstone/core/errors';
import type { AudioFile, AudioFacts } from '@flagstone/core/formats/audio-file';
import type { Hasher } from '@flagstone/core/audio/digest';
import { audioRange, sniffContainer, type ContainerKind } from '@flagstone/core/formats/container';
import { windowedSource, type ByteSource } from '@flagstone/core/formats/byte-source';
import { readWav } from '@flagstone/core/formats/wav-reader';
import { tidyKeywords, tidyText } from '@flagstone/core/record/edit';
import { filledFields } from '@flagstone/core/record/fields';

/** Headers of the other containers stand at the front of the file. */
const FOREIGN_HEAD_BYTES = 4 * 1024 * 1024;

/** SHA-256 for core's audio digests. */
export function sha256(): Hasher {
  const hash = createHash('sha256');
  return { update: (bytes) => void hash.update(bytes), hex: () => hash.digest('hex') };
}

/**
 * What a file says of itself, whatever its name: WAV, RF64 and BW64 by core's reader; the facts and common tags of AIFF, FLAC and MP3
 * by music-metadata until core reads them itself. Throws FILE_EMPTY, FORMAT_UNKNOWN or FORMAT_DAMAGED.
 */
export async function readAudio(source: ByteSource): Promise<AudioFile> {
  if (source.sizeBytes === 0) throw new FormatError('FILE_EMPTY', 'file', 'The file is empty (0 bytes).', 0);
  const windowed = windowedSource(source);
  const kind = sniffContainer(await windowed.read(0, 64));
  if (kind === undefined) {
    throw new FormatError(
      'FORMAT_UNKNOWN',
      'file',
      'Its first bytes are those of no audio format that Flagstone knows.',
      0,
    );
  }
  return kind === 'wave' ? readWav(windowed) : readForeign(kind, windowed);
}

const CONTAINER_NAMES: Record<Exclude<ContainerKind, 'wave'>, AudioFacts['container']> = {
  aiff: 'AIFF',
  flac: 'FLAC',
  mp3: 'MP3',
  ogg: 'Ogg',
  caf: 'CAF',
  m4a: 'M4A',
};

async function readForeign(kind: Exclude<ContainerKind, 'wave'>, source: ByteSource): Promise<AudioFile> {
  const container = CONTAINER_NAMES[kind];
  const range = await audioRange(kind, source);
  if (!range) throw new FormatError('FORMAT_NOT_YET', container, `${container} files are not taken up yet.`, 0);
  const { parseBuffer } = await import('music-metadata');
  const head = await source.read(0, Math.min(source.sizeBytes, FOREIGN_HEAD_BYTES));
  const metadata = await parseBuffer(head, { size: source.sizeBytes }, { skipCovers: true }).catch((cause: unknown) => {
    throw new FormatError(
      'FORMAT_DAMAGED',
      container,
      `The ${container} headers cannot be read: ${(cause as Error).message}`,
      0,
    );
  });
  const { format, common } = metadata;
  const { sampleRate = 0, numberOfChannels: channels = 0, bitsPerSample: bitDepth = 0 } = format;
  if (sampleRate === 0 || channels === 0)
    throw new FormatError('FORMAT_DAMAGED', container, `The ${container} headers name no rate or channels.`, 0);
  const durationSeconds = format.duration ?? 0;
  const pcm = kind === 'aiff' && /PCM/i.test(format.codec ?? 'PCM');
  const frameBytes = pcm ? Math.ceil(bitDepth / 8) * channels : 0;
  const frames =
    format.numberOfSamples ??
    (frameBytes > 0 ? Math.floor(range.length / frameBytes) : Math.round(durationSeconds * sampleRate));
  const facts: AudioFacts = {
    container,
    codec: format.codec ?? container,
    sampleFormat: pcm ? 'integer' : 'coded',
    sampleRateHz: sampleRate,
    bitDepth,
    channels,
    frames,
    durationSeconds: frames / sampleRate || durationSeconds,
    audioOffset: range.offset,
    audioBytes: range.length,
    frameBytes,
    bigEndian: pcm,
  };
  const comment = common.comment?.[0];
  const text = (value: string | undefined): string => tidyText(value ?? '', false);
  const record = filledFields({
    fxName: text(common.title),
    description: tidyText(
      (typeof comment === 'string' ? comment : comment?.text) ?? common.description?.[0] ?? '',
      true,
    ),
    library: text(common.album),
    creator: text(common.artist),
    copyright: text(common.copyright),
    composer: text(common.composer?.[0]),
    keywords: tidyKeywords(common.keywords ?? []),
  });
  return { facts, record, places: [], issues: [] };
}
