import { parseMarks } from '../../record/marks.ts';
import { differingFields, emptyRecord, type SoundRecord } from '../../record/fields.ts';
import { bytesOfAscii, concatBytes, viewOf, type ByteSource } from '../byte-source.ts';
import { placesOf, recordFromPlaces, textsToWrite, type PlaceSystem } from '../field-places.ts';
import { changesNothing, type ChunkReplacement } from '../iff-chunks.ts';
import { writeId3Tag } from '../id3/id3-fields.ts';
import { FormatError } from '../../errors.ts';
import { refuseDamaged } from '../structural-issues.ts';
import { paddingFor, SegmentList, type PaddingRule, type PlannedWrite, type WritePlan } from '../write-plan.ts';
import { writeXmp } from '../xmp.ts';
import { writeCueMarks } from './cue-chunks.ts';
import { bextDate, writeBext, type BextChanges } from './bext.ts';
import { writeIxml } from './ixml.ts';
import { riffChunkBytes, type RiffChunk } from './riff-chunks.ts';
import { writeInfoList } from './riff-info.ts';
import { readWavAnatomy, type WavAnatomy } from './wav-reader.ts';

const MAX_RIFF_BYTES = 0xffffffff;
const SOFTWARE = 'Flagstone';
/** Chunks that hold nothing: JUNK of the RIFF specification, the others common practice. */
const PADDING_IDS: readonly string[] = ['JUNK', 'PAD ', 'FLLR'];
const PADDING: PaddingRule = { smallest: 8, spare: 4096 };
/** riffSize, dataSize, sampleCount, tableLength: EBU Tech 3306 §3.5. */
const DS64_BYTES = 28;

/**
 * Plans the rewriting of a WAV, RF64 or BW64 file so that it carries the record in LIST INFO, bext and iXML, and in ID3 and XMP chunks
 * where they are there already. Unknown chunks, items and elements keep their bytes and order; the audio is a kept range, and stays where
 * it is when padding allows. A RIFF that would pass 4 GB becomes RF64. Throws FORMAT_DAMAGED when the structure cannot be trusted.
 */
export async function planWavWrite(source: ByteSource, record: SoundRecord): Promise<PlannedWrite> {
  const anatomy = await readWavAnatomy(source, true);
  if (anatomy.riff.form === 'RIFX')
    throw new FormatError('FORMAT_NOT_WRITABLE', 'WAV', 'A WAV file with big-endian numbers (RIFX) is only read.', 0);
  refuseDamaged('WAV', anatomy.issues);
  const inFile = { ...emptyRecord(), ...recordFromPlaces(placesOf(anatomy.texts)) };
  const replacements = metadataChunks(anatomy, textsToWrite(record, inFile, anatomy.facts));
  const unchanged = await Promise.all(replacements.map((replacement) => changesNothing(source, replacement)));
  if (unchanged.every(Boolean)) return { changed: [] };
  return { plan: await layOut(anatomy, source, replacements), changed: differingFields(inFile, record) };
}

function metadataChunks(
  anatomy: WavAnatomy,
  textsOf: (system: PlaceSystem) => ReadonlyMap<string, string>,
): ChunkReplacement[] {
  const bext = bextChanges(textsOf('bext'));
  const replacements = [
    bextReplacement(anatomy, bext),
    ...infoReplacements(anatomy, textsOf('INFO')),
    ...cueReplacements(anatomy, textsOf('cue').get('marks')),
  ];
  const ixml = new Map(textsOf('iXML'));
  if (anatomy.ixml || [...ixml.values()].some((text) => text !== '')) {
    keepBextCopy(anatomy, bext, ixml);
    const bytes = riffChunkBytes('iXML', evened(writeIxml(anatomy.ixml?.contents, ixml), '\n'));
    replacements.push({ old: anatomy.ixml?.chunk, bytes });
  }
  if (anatomy.id3) {
    const { chunk, tag } = anatomy.id3;
    const bytes = writeId3Tag(tag, textsOf('ID3'), { sizeBytes: tag.sizeBytes, clock: anatomy.facts });
    replacements.push({ old: chunk, bytes: riffChunkBytes(chunk.id, bytes ?? new Uint8Array(0)) });
  }
  if (anatomy.xmp) {
    const { chunk, contents } = anatomy.xmp;
    replacements.push({ old: chunk, bytes: riffChunkBytes(chunk.id, writeXmp(contents, textsOf('XMP'))) });
  }
  return replacements;
}

/** The first list gets the texts; further ones lose these items, so that none contradicts the first. */
function infoReplacements({ info }: WavAnatomy, texts: ReadonlyMap<string, string>): ChunkReplacement[] {
  const [first, ...others] = info;
  const wanted = new Map(texts);
  const changes = [...texts].some(([id, text]) => text !== (first?.value.find((item) => item.id === id)?.text ?? ''));
  if (changes && !info.some(({ value }) => value.some((item) => item.id === 'ISFT'))) wanted.set('ISFT', SOFTWARE);
  const emptied = new Map([...texts.keys()].map((id) => [id, '']));
  return [
    { old: first?.chunk, bytes: writeInfoList(first?.value ?? [], wanted) },
    ...others.map(({ chunk, value }) => ({ old: chunk, bytes: writeInfoList(value, emptied) })),
  ];
}

/** Cue points and their labels stay as they are while they say the same; a new list takes the place of all earlier ones. */
function cueReplacements({ cue, labels, texts }: WavAnatomy, marks: string | undefined): ChunkReplacement[] {
  if (marks === undefined || marks === (texts.cue?.get('marks')?.text ?? '')) return [];
  const earlier = { cue: cue?.contents, lists: labels.map(({ contents }) => contents) };
  const written = writeCueMarks(earlier, parseMarks(marks));
  const [first, ...others] = labels;
  return [
    { old: cue?.chunk, bytes: written.cue && riffChunkBytes('cue ', written.cue) },
    { old: first?.chunk, bytes: written.list && riffChunkBytes('LIST', written.list) },
    ...others.map(({ chunk }) => ({ old: chunk })),
  ];
}

function bextChanges(texts: ReadonlyMap<string, string>): BextChanges {
  const changes: BextChanges = {};
  for (const [key, text] of texts) {
    if (key === 'originationDate') Object.assign(changes, bextDate(text));
    else if (key === 'description' || key === 'originator') changes[key] = text;
  }
  return changes;
}

function bextReplacement(anatomy: WavAnatomy, changes: BextChanges): ChunkReplacement {
  const { bext, facts } = anatomy;
  if (!bext) {
    if (Object.values(changes).every((text) => text === '')) return {};
    const codingHistory = `A=${facts.codec === 'PCM' ? 'PCM' : facts.codec},F=${facts.sampleRateHz},W=${facts.bitDepth},M=${channelMode(facts.channels)},T=${SOFTWARE}\r\n`;
    return { bytes: riffChunkBytes('bext', evened(writeBext(undefined, { ...changes, codingHistory }), '\0')) };
  }
  const needed = Object.entries(changes).filter(([field, text]) => bext.value[field as keyof BextChanges] !== text);
  return { old: bext.chunk, bytes: riffChunkBytes('bext', writeBext(bext.contents, Object.fromEntries(needed))) };
}

/** Contents of even length: some readers of RF64 forget the pad byte behind odd ones (seen in libsndfile 1.2). */
function evened(contents: Uint8Array, filler: '\n' | '\0'): Uint8Array {
  return contents.length % 2 === 0 ? contents : concatBytes([contents, bytesOfAscii(filler)]);
}

/** iXML may hold a copy of bext; what of it is there is kept equal. */
function keepBextCopy({ ixml: earlier }: WavAnatomy, bext: BextChanges, ixml: Map<string, string>): void {
  const copies = {
    BWF_ORIGINATOR: 'originator',
    BWF_ORIGINATION_DATE: 'originationDate',
    BWF_ORIGINATION_TIME: 'originationTime',
  } as const;
  for (const [element, field] of Object.entries(copies)) {
    const text = bext[field];
    if (text !== undefined && earlier?.texts.has(`BEXT/${element}`)) ixml.set(`BEXT/${element}`, text);
  }
}

/** The M= term of CodingHistory, EBU R98. */
function channelMode(channels: number): string {
  return channels === 1 ? 'mono' : channels === 2 ? 'stereo' : 'multitrack';
}

async function layOut(anatomy: WavAnatomy, source: ByteSource, replacements: ChunkReplacement[]): Promise<WritePlan> {
  const { riff, dataChunk, facts } = anatomy;
  const atData = riff.chunks.indexOf(dataChunk);
  const [before, behind] = [riff.chunks.slice(0, atData), riff.chunks.slice(atData + 1)];
  const lengthOf = (chunk: RiffChunk): number => {
    const replacement = replacements.find(({ old }) => old === chunk);
    return replacement ? (replacement.bytes?.length ?? 0) : chunk.spanBytes;
  };
  const sum = (chunks: RiffChunk[]): number => chunks.reduce((total, chunk) => total + lengthOf(chunk), 0);
  const added = concatBytes(replacements.flatMap(({ old, bytes }) => (!old && bytes ? [bytes] : [])));
  const elastic = elasticPadding(before);
  const fixed = (long: boolean): number =>
    12 + (long ? promotionBytes(before) : 0) + sum(before.filter((chunk) => chunk !== elastic)) + added.length;
  const sizeWith = (long: boolean): { padding: number; riffEnd: number } => {
    const padding = paddingFor(fixed(long), dataChunk.offset, PADDING);
    return { padding, riffEnd: fixed(long) + padding + dataChunk.spanBytes + sum(behind) };
  };
  const promote = riff.form === 'RIFF' && sizeWith(false).riffEnd - 8 > MAX_RIFF_BYTES;
  const { padding, riffEnd } = sizeWith(promote);

  const list = new SegmentList();
  const form = promote ? 'RF64' : riff.form;
  list.bytes(riffHeader(form, riffEnd - 8));
  const push = (chunk: RiffChunk): void => {
    const replacement = replacements.find(({ old }) => old === chunk);
    if (!replacement) list.keep(chunk.offset, chunk.spanBytes);
    else if (replacement.bytes) list.bytes(replacement.bytes);
  };
  const [leading] = before;
  if (promote)
    list.bytes(ds64Chunk(leading, { riffSize: riffEnd - 8, dataSize: dataChunk.sizeBytes, sampleCount: facts.frames }));
  for (const chunk of before) {
    if (chunk === elastic || (promote && chunk === leading && isReserved(chunk))) continue;
    if (chunk.id === 'ds64') list.bytes(await withRiffSize(source, chunk, riffEnd - 8));
    else push(chunk);
  }
  list.bytes(added);
  if (padding > 0) list.bytes(riffChunkBytes('JUNK', new Uint8Array(padding - 8)));
  const audioOffset = list.position + 8;
  if (promote) list.bytes(bytesOfAscii('data\xff\xff\xff\xff'));
  else list.keep(dataChunk.offset, 8);
  list.keep(dataChunk.dataOffset, dataChunk.spanBytes - 8);
  // An audio chunk at the very end of a file may lack its pad byte; what follows now needs it.
  const padded = list.position % 2 === 1 && behind.length > 0;
  if (padded) list.bytes(new Uint8Array(1));
  behind.forEach(push);
  list.keep(riff.endOffset, source.sizeBytes - riff.endOffset);
  if (form !== 'RIFF' && !promote && leading?.id !== 'ds64') {
    throw new FormatError('FORMAT_DAMAGED', form, 'Not written: ds64 is not its first chunk.', 12);
  }
  return list.plan(audioOffset, dataChunk.sizeBytes);
}

/** The padding chunk that may grow and shrink: the last one before the audio. A leading JUNK is reserved for ds64. */
function elasticPadding(before: RiffChunk[]): RiffChunk | undefined {
  return before.findLast((chunk, index) => PADDING_IDS.includes(chunk.id) && !(index === 0 && isReserved(chunk)));
}

/** EBU Tech 3306 §3.6: a JUNK chunk first in the file, at least as long as ds64, becomes ds64 when the file grows. */
function isReserved(chunk: RiffChunk): boolean {
  return chunk.id === 'JUNK' && chunk.offset === 12 && chunk.sizeBytes >= DS64_BYTES;
}

function promotionBytes([leading]: RiffChunk[]): number {
  return leading && isReserved(leading) ? 0 : 8 + DS64_BYTES;
}

function riffHeader(form: string, riffSize: number): Uint8Array {
  const header = bytesOfAscii(`${form}\0\0\0\0WAVE`);
  viewOf(header).setUint32(4, form === 'RIFF' ? riffSize : 0xffffffff, true);
  return header;
}

function ds64Chunk(
  leading: RiffChunk | undefined,
  sizes: { riffSize: number; dataSize: number; sampleCount: number },
): Uint8Array {
  const contents = new Uint8Array(leading && isReserved(leading) ? leading.spanBytes - 8 : DS64_BYTES);
  const view = viewOf(contents);
  view.setBigUint64(0, BigInt(sizes.riffSize), true);
  view.setBigUint64(8, BigInt(sizes.dataSize), true);
  view.setBigUint64(16, BigInt(sizes.sampleCount), true);
  return riffChunkBytes('ds64', contents);
}

async function withRiffSize(source: ByteSource, ds64: RiffChunk, riffSize: number): Promise<Uint8Array> {
  const bytes = (await source.read(ds64.offset, ds64.spanBytes)).slice();
  viewOf(bytes).setBigUint64(8, BigInt(riffSize), true);
  return bytes;
}
