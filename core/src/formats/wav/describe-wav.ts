import { asciiOf, type ByteSource } from '../byte-source.ts';
import { describeChunk, type ChunkKind, type FileBlock } from '../file-block.ts';
import { describeId3Tag } from '../id3/describe-id3.ts';
import { readId3Tag } from '../id3/id3-tag.ts';
import { readRiffChunks } from './riff-chunks.ts';
import { WAV_CHUNK_KINDS } from './wav-chunk-kinds.ts';

/** Every chunk of a WAV, RF64 or BW64 file in order, with its contents. */
export async function describeWav(source: ByteSource): Promise<FileBlock[]> {
  const { value: riff } = await readRiffChunks(source);
  const blocks: FileBlock[] = [
    { id: riff.form, what: 'File header', offsetBytes: 0, sizeBytes: 12, kind: 'structure', details: [] },
  ];
  for (const chunk of riff.chunks) {
    const tag = chunk.id.toLowerCase() === 'id3 ' ? await readId3Tag(source, chunk.dataOffset) : undefined;
    if (tag)
      blocks.push({ ...describeId3Tag(tag), id: chunk.id, offsetBytes: chunk.offset, sizeBytes: chunk.spanBytes });
    else {
      // A list is what its type says: INFO, adtl.
      const id = chunk.id === 'LIST' ? `LIST ${asciiOf(await source.read(chunk.dataOffset, 4))}` : chunk.id;
      const kind = WAV_CHUNK_KINDS[id] ?? WAV_CHUNK_KINDS[chunk.id];
      blocks.push(await describeChunk(source, { ...chunk, id }, riff.form === 'RIFX' ? asBytes(kind) : kind));
    }
  }
  const left = source.sizeBytes - riff.endOffset;
  if (left > 0) {
    const rest = { id: 'rest', offset: riff.endOffset, dataOffset: riff.endOffset, sizeBytes: left };
    blocks.push(await describeChunk(source, rest, undefined));
  }
  return blocks;
}

/** A kind whose contents are shown as bytes: the decoders read little-endian numbers. */
function asBytes(kind: ChunkKind | undefined): ChunkKind | undefined {
  return kind && { what: kind.what, kind: kind.kind };
}
