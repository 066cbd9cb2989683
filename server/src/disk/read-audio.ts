import { createHash } from 'node:crypto';
import { FormatError } from '@flagstone/core/errors';
import { audioFile, type AudioFile, type AudioFacts } from '@flagstone/core/formats/audio-file';
import type { Hasher } from '@flagstone/core/audio/digest';
import { concatBytes, memorySource, windowedSource, type ByteSource } from '@flagstone/core/formats/byte-source';
import { extensionIssue } from '@flagstone/core/formats/container';
import type { FoundText } from '@flagstone/core/formats/field-places';
import { mp4Track, readMp4Boxes } from '@flagstone/core/formats/mp4-boxes';
import { readAudioFile } from '@flagstone/core/formats/read-audio-file';

const MAX_MOVIE_BYTES = 16 * 1024 * 1024;

/** SHA-256 for core's audio digests. */
export function sha256(): Hasher {
  const hash = createHash('sha256');
  return { update: (bytes) => void hash.update(bytes), hex: () => hash.digest('hex') };
}

/**
 * What a file says of itself: see core's readAudioFile for errors. M4A is read by music-metadata. `fileName` adds the issue of an
 * extension that belongs to another container.
 */
export async function readAudio(source: ByteSource, fileName = ''): Promise<AudioFile> {
  const file = await readAudioFile(windowedSource(source), readM4a);
  const issue = extensionIssue(fileName, file.facts.container);
  return issue ? { ...file, issues: [...file.issues, issue] } : file;
}

/** Hands music-metadata the boxes that describe the audio, wherever they stand, without the audio itself. */
async function readM4a(source: ByteSource): Promise<AudioFile> {
  const boxes = await readMp4Boxes(source);
  const audio = boxes.find((box) => box.type === 'mdat');
  const movie = boxes.find((box) => box.type === 'moov');
  if (!audio || !movie || movie.spanBytes > MAX_MOVIE_BYTES)
    throw new FormatError('FORMAT_DAMAGED', 'M4A', 'Its audio or the description of it is missing.', 0);
  const described = boxes.filter((box) => box.type === 'ftyp').concat(movie);
  const parts = await Promise.all(described.map((box) => source.read(box.offset, box.spanBytes)));
  const { parseBuffer } = await import('music-metadata');
  const metadata = await parseBuffer(
    concatBytes(parts),
    { mimeType: 'audio/mp4', size: parts.reduce((total, part) => total + part.length, 0) },
    { skipCovers: true },
  ).catch((cause: unknown) => {
    const message = `The M4A description cannot be read: ${(cause as Error).message}`;
    throw new FormatError('FORMAT_DAMAGED', 'M4A', message, movie.offset);
  });
  const { format, common } = metadata;
  const movieBytes = parts.at(-1) ?? new Uint8Array(0);
  const track = await mp4Track(memorySource(movieBytes.subarray(8)));
  const sampleRate = track.sampleRateHz ?? Math.round(format.sampleRate ?? 0);
  const channels = track.channels ?? format.numberOfChannels ?? 0;
  if (sampleRate === 0 || channels === 0)
    throw new FormatError('FORMAT_DAMAGED', 'M4A', 'Its description names no rate or channels.', movie.offset);
  const frames = track.frames ?? format.numberOfSamples ?? Math.round((format.duration ?? 0) * sampleRate);
  const isCutShort = audio.isCutShort === true;
  const facts: AudioFacts = {
    ...(isCutShort ? { isCutShort } : {}),
    container: 'M4A',
    codec: format.codec ?? 'M4A',
    sampleFormat: 'coded',
    sampleRateHz: sampleRate,
    bitDepth: track.bitDepth ?? 0,
    channels,
    frames,
    durationSeconds: frames / sampleRate,
    audioOffset: audio.dataOffset,
    audioBytes: audio.offset + audio.spanBytes - audio.dataOffset,
    frameBytes: 0,
    bigEndian: false,
  };
  const comment = common.comment?.[0];
  // Of damaged files music-metadata gives numbers and lists where its types promise texts.
  const texts: Record<string, unknown> = {
    title: common.title,
    comment: typeof comment === 'string' ? comment : (comment?.text ?? common.description?.[0]),
    album: common.album,
    artist: common.artist,
    copyright: common.copyright,
    composer: common.composer?.[0],
    keywords: Array.isArray(common.keywords) ? common.keywords.join('; ') : undefined,
  };
  const found = Object.entries(texts).flatMap(([key, text]): [string, FoundText][] =>
    typeof text === 'string' ? [[key, { text, offsetBytes: movie.offset }]] : [],
  );
  return audioFile(facts, { MP4: new Map(found) }, []);
}
