import { AppError } from '../../errors.ts';
import { parseMarks } from '../../record/marks.ts';
import { differingFields, emptyRecord, type SoundRecord } from '../../record/fields.ts';
import { bytesOfAscii, viewOf, type ByteSource } from '../byte-source.ts';
import { placesOf, recordFromPlaces, textsToWrite, type PlaceSystem } from '../field-places.ts';
import { changesNothing, type ChunkReplacement } from '../iff-chunks.ts';
import { writeId3Tag } from '../id3/id3-fields.ts';
import { SegmentList, type PlannedWrite, type WritePlan } from '../write-plan.ts';
import { writeIxml } from '../wav/ixml.ts';
import { refuseDamaged } from '../structural-issues.ts';
import type { WriteOptions } from '../write-options.ts';
import { aiffChunkBytes, type AiffChunk } from './aiff-chunks.ts';
import { writeAiffMarks } from './marker-chunk.ts';
import { AIFF_TEXT_CHUNKS, readAiffAnatomy, type AiffAnatomy } from './aiff-reader.ts';

const MAX_FORM_BYTES = 0xffffffff;

/**
 * Plans the rewriting of an AIFF or AIFF-C file so that it carries the record in its text chunks and an `ID3 ` chunk, and in iXML where
 * that is there already. New chunks, and those that no longer fit where they stand, go behind the audio, so that the audio stays where it
 * is at the next edit. Throws FORMAT_DAMAGED or OUTGROWS_CONTAINER.
 */
export async function planAiffWrite(
  source: ByteSource,
  record: SoundRecord,
  options: WriteOptions,
): Promise<PlannedWrite> {
  const anatomy = await readAiffAnatomy(source, true);
  refuseDamaged('AIFF', anatomy.issues);
  const inFile = { ...emptyRecord(), ...recordFromPlaces(placesOf(anatomy.texts)) };
  const replacements = await changedChunks(anatomy, source, textsToWrite(record, inFile, anatomy.facts), options);
  if (replacements.length === 0) return { changed: [] };
  return { plan: layOut(anatomy, source.sizeBytes, replacements), changed: differingFields(inFile, record) };
}

async function changedChunks(
  { textChunks, id3, ixml, markers, texts, facts }: AiffAnatomy,
  source: ByteSource,
  textsOf: (system: PlaceSystem) => ReadonlyMap<string, string>,
  options: WriteOptions,
): Promise<ChunkReplacement[]> {
  const changes: ChunkReplacement[] = [];
  for (const [id, key] of Object.entries(AIFF_TEXT_CHUNKS)) {
    const text = textsOf('AIFF').get(key);
    if (text === undefined || text === (texts.AIFF?.get(key)?.text ?? '')) continue;
    const bytes = text === '' ? undefined : aiffChunkBytes(id, new TextEncoder().encode(text));
    changes.push({ old: textChunks.get(key)?.chunk, bytes });
  }
  const marks = textsOf('AIFF').get('MARK');
  if (marks !== undefined && marks !== (texts.AIFF?.get('MARK')?.text ?? '')) {
    const written = writeAiffMarks(markers?.contents, parseMarks(marks));
    changes.push({ old: markers?.chunk, bytes: written && aiffChunkBytes('MARK', written) });
  }
  const tag = writeId3Tag(id3?.tag, textsOf('ID3'), {
    version: options.id3Version,
    sizeBytes: id3?.tag.sizeBytes,
    clock: facts,
  });
  changes.push({ old: id3?.chunk, bytes: tag && aiffChunkBytes('ID3 ', tag) });
  if (ixml) changes.push({ old: ixml.chunk, bytes: aiffChunkBytes('iXML', writeIxml(ixml.contents, textsOf('iXML'))) });
  const kept: ChunkReplacement[] = [];
  for (const change of changes) if (!(await changesNothing(source, change))) kept.push(change);
  return kept;
}

function layOut(
  { form, soundChunk, facts }: AiffAnatomy,
  sizeBytes: number,
  replacements: ChunkReplacement[],
): WritePlan {
  const list = new SegmentList();
  const header = bytesOfAscii(form.compressed ? 'FORM\0\0\0\0AIFC' : 'FORM\0\0\0\0AIFF');
  list.bytes(header);
  let audioOffset = 0;
  const moved: Uint8Array[] = [];
  // The first chunk of a kind counts: it has to stay before another one of it.
  const isRepeated = (chunk: AiffChunk): boolean => form.chunks.filter(({ id }) => id === chunk.id).length > 1;
  for (const chunk of form.chunks) {
    const replacement = replacements.find(({ old }) => old === chunk);
    if (chunk === soundChunk) audioOffset = list.position + (facts.audioOffset - chunk.offset);
    if (!replacement) list.keep(chunk.offset, chunk.spanBytes);
    else if (replacement.bytes?.length === chunk.spanBytes || chunk.offset > soundChunk.offset || isRepeated(chunk))
      list.bytes(replacement.bytes ?? new Uint8Array(0));
    else if (replacement.bytes) moved.push(replacement.bytes);
    if (list.position % 2 === 1) list.bytes(new Uint8Array(1));
  }
  for (const bytes of moved) list.bytes(bytes);
  for (const { old, bytes } of replacements) if (!old && bytes) list.bytes(bytes);
  if (list.position - 8 > MAX_FORM_BYTES) {
    throw new AppError(
      'OUTGROWS_CONTAINER',
      `With its metadata the file would have ${list.position} bytes; AIFF holds 4 GB.`,
    );
  }
  viewOf(header).setUint32(4, list.position - 8);
  list.keep(form.endOffset, sizeBytes - form.endOffset);
  return list.plan(audioOffset, facts.audioBytes);
}
