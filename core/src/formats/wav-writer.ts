import { AppError, FormatError } from '../errors.ts';
import { differingFields, emptyRecord, type FieldName, type SoundRecord } from '../record/fields.ts';
import { recordFromPlaces } from './audio-file.ts';
import { fittedToBext, writeBext, type BextChanges } from './bext.ts';
import { bytesOfAscii, viewOf, type ByteSource } from './byte-source.ts';
import { writeIxml } from './ixml.ts';
import { writeInfoList } from './riff-info.ts';
import { riffChunkBytes, type RiffChunk } from './riff.ts';
import { bextDate, fieldsToWrite, textForPlace, WAV_PLACES } from './wav-fields.ts';
import { placesOf, readWavAnatomy, STRUCTURAL_ISSUES, type WavAnatomy } from './wav-reader.ts';
import { segmentLength, type Segment, type WritePlan } from './write-plan.ts';

const MAX_RIFF_BYTES = 0xffffffff;
const SOFTWARE = 'Flagstone';

export interface WavWrite {
  /** Undefined when the file carries the record already, in every place. */
  plan?: WritePlan;
  /** The fields whose value in the file changes. */
  changed: FieldName[];
}

/**
 * Plans the rewriting of a WAV, RF64 or BW64 file so that it carries the record in LIST INFO, bext and iXML. Unknown chunks, items
 * and elements keep their bytes and order; the audio is a kept range. Throws FORMAT_DAMAGED when the structure of the file cannot
 * be trusted and OUTGROWS_WAV when it would pass 4 GB.
 */
export async function planWavWrite(source: ByteSource, record: SoundRecord): Promise<WavWrite> {
  const anatomy = await readWavAnatomy(source);
  const fault = anatomy.issues.find((issue) => STRUCTURAL_ISSUES.includes(issue.code) || issue.code === 'IXML_INVALID');
  if (fault)
    throw new FormatError(
      'FORMAT_DAMAGED',
      'WAV',
      `Not written, its structure is damaged: ${fault.message}`,
      fault.offsetBytes ?? 0,
    );

  const inFile = { ...emptyRecord(), ...recordFromPlaces(placesOf(anatomy)) };
  const replacements = metadataChunks(anatomy, record, inFile);
  const unchanged = await Promise.all(replacements.map((replacement) => sameBytes(source, replacement)));
  if (unchanged.every(Boolean)) return { changed: [] };
  return { plan: layOut(anatomy, source.sizeBytes, replacements), changed: differingFields(inFile, record) };
}

/** A chunk's new bytes in place of the old one; an old chunk alone is taken out, new bytes alone are put before the audio. */
interface Replacement {
  old?: RiffChunk;
  bytes?: Uint8Array;
}

async function sameBytes(source: ByteSource, { old, bytes }: Replacement): Promise<boolean> {
  if (!old || !bytes) return old === undefined && bytes === undefined;
  if (old.spanBytes !== bytes.length) return false;
  const current = await source.read(old.offset, old.spanBytes);
  return current.every((byte, index) => byte === bytes[index]);
}

function metadataChunks(anatomy: WavAnatomy, record: SoundRecord, inFile: SoundRecord): Replacement[] {
  const info = new Map<string, string>();
  const ixml = new Map<string, string>();
  const bext: BextChanges = {};
  for (const field of fieldsToWrite(record, inFile)) {
    for (const place of WAV_PLACES[field] ?? []) {
      const [kind, key = ''] = place.split(' ');
      const text = textForPlace(record, field, place);
      if (kind === 'INFO') info.set(key, text);
      else if (kind === 'iXML') ixml.set(key, text);
      else if (field === 'recordedOn') Object.assign(bext, bextDate(text));
      else if (key === 'description' || key === 'originator') bext[key] = text;
    }
  }
  const replacements: Replacement[] = [bextReplacement(anatomy, bext)];
  if (!anatomy.info?.value.some((item) => item.id === 'ISFT')) info.set('ISFT', SOFTWARE);
  replacements.push({ old: anatomy.info?.chunk, bytes: writeInfoList(anatomy.info?.value ?? [], info) });
  const document = [...ixml.values()].some((text) => text !== '') || anatomy.ixml;
  if (document)
    replacements.push({
      old: anatomy.ixml?.chunk,
      bytes: riffChunkBytes('iXML', writeIxml(anatomy.ixml?.contents, ixml)),
    });
  return replacements;
}

function bextReplacement(anatomy: WavAnatomy, changes: BextChanges): Replacement {
  const { bext, facts } = anatomy;
  if (!bext) {
    if (Object.values(changes).every((text) => text === '')) return {};
    const codingHistory = `A=${facts.codec === 'PCM' ? 'PCM' : facts.codec},F=${facts.sampleRateHz},W=${facts.bitDepth},M=${channelMode(facts.channels)},T=${SOFTWARE}\r\n`;
    return { bytes: riffChunkBytes('bext', writeBext(undefined, { ...changes, codingHistory })) };
  }
  const needed: BextChanges = {};
  for (const [field, text] of Object.entries(changes) as [keyof BextChanges, string][]) {
    const length = field === 'description' ? 256 : 32;
    if (bext.value[field] !== fittedToBext(text, length)) needed[field] = text;
  }
  return { old: bext.chunk, bytes: riffChunkBytes('bext', writeBext(bext.contents, needed)) };
}

/** The M= term of CodingHistory, EBU R98. */
function channelMode(channels: number): string {
  return channels === 1 ? 'mono' : channels === 2 ? 'stereo' : 'multitrack';
}

function layOut(anatomy: WavAnatomy, sizeBytes: number, replacements: Replacement[]): WritePlan {
  const { riff, dataChunk } = anatomy;
  const segments: Segment[] = [{ kind: 'bytes', bytes: new Uint8Array(12) }];
  const added = replacements.filter((replacement) => !replacement.old);
  let audioOffset = 0;
  let position = 12;
  const push = (segment: Segment): void => {
    const last = segments.at(-1);
    if (segment.kind === 'keep' && last?.kind === 'keep' && last.offset + last.length === segment.offset)
      last.length += segment.length;
    else segments.push(segment);
    position += segmentLength(segment);
  };
  for (const chunk of riff.chunks) {
    if (chunk === dataChunk) {
      for (const { bytes } of added) if (bytes) push({ kind: 'bytes', bytes });
      audioOffset = position + 8;
    }
    const replacement = replacements.find(({ old }) => old === chunk);
    if (!replacement) push({ kind: 'keep', offset: chunk.offset, length: chunk.spanBytes });
    else if (replacement.bytes) push({ kind: 'bytes', bytes: replacement.bytes });
    if (position % 2 === 1) push({ kind: 'bytes', bytes: new Uint8Array(1) });
  }
  const riffEnd = position;
  if (riff.endOffset < sizeBytes) push({ kind: 'keep', offset: riff.endOffset, length: sizeBytes - riff.endOffset });
  if (riff.form === 'RIFF' && riffEnd - 8 > MAX_RIFF_BYTES) {
    throw new AppError('OUTGROWS_WAV', `With its metadata the file would have ${riffEnd} bytes; a WAV holds 4 GB.`);
  }
  segments[0] = { kind: 'bytes', bytes: riffHeader(riff.form, riffEnd - 8) };
  const plan: WritePlan = { segments, audioOffset, audioBytes: dataChunk.sizeBytes, sizeBytes: position };
  return riff.form === 'RIFF' ? plan : { ...plan, segments: withLongRiffSize(segments, riff.chunks, riffEnd - 8) };
}

function riffHeader(form: string, riffSize: number): Uint8Array {
  const header = bytesOfAscii(`${form}\0\0\0\0WAVE`);
  viewOf(header).setUint32(4, form === 'RIFF' ? riffSize : 0xffffffff, true);
  return header;
}

/** Puts the new riffSize into the ds64 chunk, EBU Tech 3306 §3.5; ds64 is the first chunk, so the second segment begins with it. */
function withLongRiffSize(segments: Segment[], chunks: RiffChunk[], riffSize: number): Segment[] {
  const ds64 = chunks[0];
  const kept = segments[1];
  if (ds64?.id !== 'ds64' || kept?.kind !== 'keep') {
    throw new FormatError('FORMAT_DAMAGED', 'RF64', 'Not written: ds64 is not its first chunk.', 12);
  }
  const size = new Uint8Array(8);
  viewOf(size).setBigUint64(0, BigInt(riffSize), true);
  return [
    ...segments.slice(0, 1),
    { kind: 'keep', offset: ds64.offset, length: 8 },
    { kind: 'bytes', bytes: size },
    { kind: 'keep', offset: ds64.dataOffset + 8, length: kept.length - 16 },
    ...segments.slice(2),
  ];
}
