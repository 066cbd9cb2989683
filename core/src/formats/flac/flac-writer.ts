import { AppError } from '../../errors.ts';
import { differingFields, emptyRecord, type SoundRecord } from '../../record/fields.ts';
import { placesOf, recordFromPlaces, textsToWrite } from '../field-places.ts';
import { sameBytes, type ByteSource } from '../byte-source.ts';
import { writeId3Tag } from '../id3/id3-fields.ts';
import type { WriteOptions } from '../write-options.ts';
import { writeVorbisComment } from '../vorbis-comment.ts';
import { refuseDamaged } from '../structural-issues.ts';
import { paddingFor, SegmentList, type PlannedWrite } from '../write-plan.ts';
import { FLAC_BLOCK, flacBlockBytes, MAX_FLAC_BLOCK_BYTES } from './flac-blocks.ts';
import { readFlacAnatomy } from './flac-reader.ts';

const NO_BYTES = new Uint8Array(0);
const PADDING = { smallest: 4, spare: 4 + 8192, largest: 4 + MAX_FLAC_BLOCK_BYTES };

/**
 * Plans the rewriting of a FLAC file so that its VORBIS_COMMENT carries the record. All other blocks keep their bytes and order; one
 * PADDING block at the end takes up the difference, so that the frames stay where they are. An ID3 tag that stands before the stream carries the record too,
 * since it is what is read first. Throws FORMAT_DAMAGED or OUTGROWS_CONTAINER.
 */
export async function planFlacWrite(
  source: ByteSource,
  record: SoundRecord,
  options: WriteOptions,
): Promise<PlannedWrite> {
  const { layout, facts, comment, tag, texts, issues } = await readFlacAnatomy(source, true);
  refuseDamaged('FLAC', issues);
  const inFile = { ...emptyRecord(), ...recordFromPlaces(placesOf(texts)) };
  const textsOf = textsToWrite(record, inFile, facts);
  const wanted = textsOf('Vorbis');
  const tagBytes = tag?.sizeBytes ?? 0;
  const [oldTag, newTag] = tag
    ? [
        await source.read(0, tagBytes),
        writeId3Tag(tag, textsOf('ID3'), { version: options.id3Version, sizeBytes: tagBytes, clock: facts }) ??
          NO_BYTES,
      ]
    : [NO_BYTES, NO_BYTES];
  const isSame = [...wanted].every(([key, text]) => text === (texts.Vorbis?.get(key)?.text ?? ''));
  if (isSame && sameBytes(oldTag, newTag)) return { changed: [] };
  const contents = writeVorbisComment(comment?.value, wanted, facts);
  if (contents.length > MAX_FLAC_BLOCK_BYTES)
    throw new AppError(
      'OUTGROWS_CONTAINER',
      `The comments would have ${contents.length} bytes; a FLAC block holds 16 MB.`,
    );

  const others = layout.blocks.filter((block) => block.type !== FLAC_BLOCK.padding);
  const fixed = others.reduce(
    (total, block) => total + 4 + (block === comment?.block ? contents.length : block.sizeBytes),
    newTag.length + layout.markerOffset - tagBytes + 4 + (comment ? 0 : 4 + contents.length),
  );
  const padding = paddingFor(fixed, layout.framesOffset, PADDING);
  const list = new SegmentList();
  list.bytes(newTag);
  list.keep(tagBytes, layout.markerOffset - tagBytes + 4);
  // Only the last block carries the flag; the header of a kept block is written anew without it.
  const count = others.length + (comment ? 0 : 1) + (padding > 0 ? 1 : 0);
  let written = 0;
  const isLast = (): boolean => (written += 1) === count;
  for (const block of others) {
    if (block === comment?.block) list.bytes(flacBlockBytes(block.type, contents, isLast()));
    else {
      const header = flacBlockBytes(block.type, new Uint8Array(0), isLast());
      header.set([block.sizeBytes >> 16, (block.sizeBytes >> 8) & 0xff, block.sizeBytes & 0xff], 1);
      list.bytes(header);
      list.keep(block.dataOffset, block.sizeBytes);
    }
  }
  if (!comment) list.bytes(flacBlockBytes(FLAC_BLOCK.vorbisComment, contents, isLast()));
  if (padding > 0) list.bytes(flacBlockBytes(FLAC_BLOCK.padding, new Uint8Array(padding - 4), true));
  const audioOffset = list.position;
  list.keep(layout.framesOffset, source.sizeBytes - layout.framesOffset);
  return { plan: list.plan(audioOffset, facts.audioBytes), changed: differingFields(inFile, record) };
}
