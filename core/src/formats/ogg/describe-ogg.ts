import type { ByteSource } from '../byte-source.ts';
import { detailsOf, type FileBlock } from '../file-block.ts';
import { describeComment } from '../vorbis-comment.ts';
import { readOggAnatomy } from './ogg-reader.ts';

/** The header pages of an Ogg file with their comments, and the audio. */
export async function describeOgg(source: ByteSource): Promise<FileBlock[]> {
  const { codec, facts, headerPages, comment } = await readOggAnatomy(source);
  const start = headerPages[0]?.offset ?? 0;
  return [
    {
      id: codec,
      what: 'Format',
      offsetBytes: 0,
      sizeBytes: start,
      kind: 'structure',
      details: detailsOf({ Channels: facts.channels, 'Sample rate': `${facts.sampleRateHz} Hz`, Frames: facts.frames }),
    },
    {
      id: codec === 'Opus' ? 'OpusTags' : 'comment',
      what: codec === 'Opus' ? 'Comments' : 'Comments and set-up',
      offsetBytes: start,
      sizeBytes: facts.audioOffset - start,
      kind: 'metadata',
      details: [...describeComment(comment), { name: 'Pages', value: String(headerPages.length) }],
    },
    {
      id: 'pages',
      what: 'Audio',
      offsetBytes: facts.audioOffset,
      sizeBytes: facts.audioBytes,
      kind: 'audio',
      details: [],
    },
  ];
}
