import type { ByteSource } from '../byte-source.ts';
import { detailsOf, type FileBlock } from '../file-block.ts';
import { describeId3Tag } from '../id3/describe-id3.ts';
import { id3TagSize, readId3Tag } from '../id3/id3-tag.ts';
import { ID3V1_BYTES, id3v1Texts } from '../id3/id3v1.ts';
import { readMp3Anatomy } from './mp3-reader.ts';

/** The tags and the audio of an MP3 file in order. */
export async function describeMp3(source: ByteSource): Promise<FileBlock[]> {
  const { facts, leadingEnd, id3v1 } = await readMp3Anatomy(source);
  const blocks: FileBlock[] = [];
  for (let offset = 0; offset < leadingEnd;) {
    const tag = await readId3Tag(source, offset);
    if (tag) blocks.push(describeId3Tag(tag));
    offset += id3TagSize(await source.read(offset, 10)) ?? leadingEnd;
  }
  const audioEnd = facts.audioOffset + facts.audioBytes;
  blocks.push({
    id: 'frames',
    what: `Audio, ${facts.codec}`,
    offsetBytes: facts.audioOffset,
    sizeBytes: facts.audioBytes,
    kind: 'audio',
    details: detailsOf({
      'Encoder’s delay': facts.encoderDelayFrames === undefined ? undefined : `${facts.encoderDelayFrames} samples`,
    }),
  });
  const tailStart = source.sizeBytes - (id3v1 ? ID3V1_BYTES : 0);
  if (audioEnd < tailStart)
    blocks.push({
      id: 'APE',
      what: 'APE tag, kept as it is',
      offsetBytes: audioEnd,
      sizeBytes: tailStart - audioEnd,
      kind: 'unknown',
      details: [],
    });
  if (id3v1) {
    const texts = Object.fromEntries([...id3v1Texts(id3v1, 0)].map(([key, { text }]) => [key, text]));
    blocks.push({
      id: 'ID3v1',
      what: 'ID3 tag of the first version',
      offsetBytes: tailStart,
      sizeBytes: ID3V1_BYTES,
      kind: 'metadata',
      details: detailsOf(texts),
    });
  }
  return blocks;
}
