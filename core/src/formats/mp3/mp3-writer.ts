import { differingFields, emptyRecord, type SoundRecord } from '../../record/fields.ts';
import { sameBytes, type ByteSource } from '../byte-source.ts';
import { placesOf, recordFromPlaces, textsToWrite } from '../field-places.ts';
import { writeId3Tag } from '../id3/id3-fields.ts';
import { ID3V1_BYTES, writeId3v1 } from '../id3/id3v1.ts';
import { refuseDamaged } from '../structural-issues.ts';
import { SegmentList, type PlannedWrite } from '../write-plan.ts';
import type { WriteOptions } from '../write-options.ts';
import { readMp3Anatomy } from './mp3-reader.ts';

/**
 * Plans the rewriting of an MP3 file so that its ID3v2 tag carries the record, and an ID3v1 tag where one is there already. An earlier tag
 * keeps its version; a new one is ID3v2.3 unless the options say otherwise. The tag's padding takes up the difference.
 */
export async function planMp3Write(
  source: ByteSource,
  record: SoundRecord,
  options: WriteOptions,
): Promise<PlannedWrite> {
  const { facts, tag, leadingEnd, id3v1, texts, issues } = await readMp3Anatomy(source, true);
  refuseDamaged('MP3', issues);
  const inFile = { ...emptyRecord(), ...recordFromPlaces(placesOf(texts)) };
  const textsOf = textsToWrite(record, inFile, facts);
  const oldTag = await source.read(0, tag?.sizeBytes ?? 0);
  const newTag =
    writeId3Tag(tag, textsOf('ID3'), { version: options.id3Version, sizeBytes: tag?.sizeBytes, clock: facts }) ??
    new Uint8Array(0);
  const newTail = id3v1 && writeId3v1(id3v1, textsOf('ID3v1'));
  if (sameBytes(oldTag, newTag) && (!id3v1 || !newTail || sameBytes(id3v1, newTail))) return { changed: [] };
  const list = new SegmentList();
  list.bytes(newTag);
  const tagEnd = tag?.sizeBytes ?? 0;
  list.keep(tagEnd, source.sizeBytes - tagEnd - (newTail ? ID3V1_BYTES : 0));
  if (newTail) list.bytes(newTail);
  const audioOffset = newTag.length + leadingEnd - tagEnd;
  return { plan: list.plan(audioOffset, facts.audioBytes), changed: differingFields(inFile, record) };
}
