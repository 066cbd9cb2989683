import { detailsOf, FieldReader, type BlockDetail, type ChunkKind } from '../file-block.ts';
import { decodeText, decodeWithEvidence } from '../text-encoding.ts';
import { parseXml, textOf, type XmlElement } from '../xml-document.ts';
import { BEXT_LAYOUT, parseBext } from './bext.ts';
import { parseWavFormat } from './format-chunk.ts';
import { decodeIxml } from './ixml.ts';
import { FormatError } from '../../errors.ts';

/**
 * What stands in the chunks of a WAVE file beside the audio, as it is shown. Sources: Microsoft and IBM, "Multimedia Programming Interface and
 * Data Specifications 1.0" and "Multimedia Data Standards Update" (fact, cue, LIST adtl, smpl, inst); EBU Tech 3285 and 3306; AES46 (cart); ITU-R
 * BS.2076 and BS.2088 (axml, chna). Layouts of smpl, inst, cart and chna from memory.
 */
const metadata = (what: string, decode: NonNullable<ChunkKind['decode']>): ChunkKind => ({
  what,
  kind: 'metadata',
  decode,
});
const structure = (what: string, decode: NonNullable<ChunkKind['decode']>): ChunkKind => ({
  what,
  kind: 'structure',
  decode,
});
const padding: ChunkKind = { what: 'Padding', kind: 'padding' };

export const WAV_CHUNK_KINDS: Record<string, ChunkKind> = {
  'fmt ': structure('Format', formatDetails),
  ds64: structure('Sizes of a file over 4 GB', ds64Details),
  fact: structure('Number of sample frames', (bytes) => detailsOf({ Frames: new FieldReader(bytes, true).uint32() })),
  data: { what: 'Audio', kind: 'audio' },
  bext: metadata('Broadcast extension', bextDetails),
  LIST: metadata('List', listDetails),
  'LIST INFO': metadata('Texts', listDetails),
  'LIST adtl': metadata('Labels of cue points', listDetails),
  'cue ': metadata('Cue points', cueDetails),
  smpl: metadata('Sampler', samplerDetails),
  inst: metadata('Instrument', instrumentDetails),
  cart: metadata('Radio traffic data (AES46)', cartDetails),
  chna: metadata('Channel allocation (ITU-R BS.2088)', channelDetails),
  axml: metadata('Audio definition model or other XML', textDetails),
  iXML: metadata('iXML', xmlDetails),
  _PMX: metadata('XMP', xmlDetails),
  JUNK: padding,
  'PAD ': padding,
  FLLR: padding,
};

function formatDetails(bytes: Uint8Array, offset: number): BlockDetail[] {
  const format = parseWavFormat(bytes, offset);
  return detailsOf({
    Codec: format.codec,
    Channels: format.channels,
    'Sample rate': `${format.sampleRateHz} Hz`,
    Bits: format.bitDepth || undefined,
    'Block align': `${format.blockAlign} bytes`,
    'Bytes a second': format.bytesPerSecond,
    'Channel mask': format.channelMask === undefined ? undefined : `0x${format.channelMask.toString(16)}`,
  });
}

function ds64Details(bytes: Uint8Array): BlockDetail[] {
  const fields = new FieldReader(bytes, true);
  return detailsOf({
    'RIFF size': fields.uint64(),
    'data size': fields.uint64(),
    'Sample count': fields.uint64(),
    'Table entries': fields.uint32(),
  });
}

function bextDetails(bytes: Uint8Array): BlockDetail[] {
  const { loudness, umid, ...bext } = parseBext(bytes);
  return detailsOf({
    Description: bext.description,
    Originator: bext.originator,
    OriginatorReference: bext.originatorReference,
    OriginationDate: bext.originationDate,
    OriginationTime: bext.originationTime,
    TimeReference: `${bext.timeReference} samples`,
    Version: bext.version,
    UMID: umid,
    LoudnessValue: withUnit(loudness.integratedLufs, 'LUFS'),
    LoudnessRange: withUnit(loudness.rangeLu, 'LU'),
    MaxTruePeakLevel: withUnit(loudness.maxTruePeakDbtp, 'dBTP'),
    MaxMomentaryLoudness: withUnit(loudness.maxMomentaryLufs, 'LUFS'),
    MaxShortTermLoudness: withUnit(loudness.maxShortTermLufs, 'LUFS'),
    CodingHistory: bext.codingHistory.trim(),
    'Fixed part': bytes.length < BEXT_LAYOUT.codingHistory[0] ? `cut short at ${bytes.length} bytes` : undefined,
  });
}

const withUnit = (value: number | undefined, unit: string): string | undefined =>
  value === undefined ? undefined : `${value} ${unit}`;

function listDetails(bytes: Uint8Array): BlockDetail[] {
  const fields = new FieldReader(bytes, true);
  const type = fields.text(4);
  const details: BlockDetail[] = [{ name: 'Type', value: type }];
  while (fields.left >= 8) {
    const id = fields.text(4);
    const size = Math.min(fields.uint32(), fields.left);
    const contents = fields.take(size);
    if (size % 2 === 1 && fields.left > 0) fields.take(1);
    details.push(type === 'adtl' ? labelDetail(id, contents) : textDetail(id, contents));
  }
  return details;
}

function textDetail(name: string, contents: Uint8Array): BlockDetail {
  const { text, encoding } = decodeWithEvidence(contents);
  return { name, value: encoding === 'ASCII' || encoding === 'UTF-8' ? text : `${text} (${encoding})` };
}

/** `labl`, `note` and `ltxt` name a cue point first; `ltxt` then a length in samples, a purpose, and four numbers of locale. */
function labelDetail(id: string, contents: Uint8Array): BlockDetail {
  const fields = new FieldReader(contents, true);
  const point = fields.uint32();
  if (id !== 'ltxt') return { name: `${id} of cue ${point}`, value: decodeText(fields.rest()) };
  const length = fields.uint32();
  const purpose = fields.text(4);
  fields.take(Math.min(8, fields.left));
  return {
    name: `ltxt of cue ${point}`,
    value: `${length} samples, ${purpose} ${decodeText(fields.rest())}`.trimEnd(),
  };
}

function cueDetails(bytes: Uint8Array): BlockDetail[] {
  const fields = new FieldReader(bytes, true);
  const count = Math.min(fields.uint32(), Math.floor(fields.left / 24));
  return Array.from({ length: count }, () => {
    const [id, position] = [fields.uint32(), fields.uint32()];
    const chunk = fields.text(4);
    fields.take(8);
    const sample = fields.uint32();
    return {
      name: `Cue ${id}`,
      value: `sample ${sample} in ${chunk}${position === sample ? '' : `, position ${position}`}`,
    };
  });
}

const LOOP_TYPES = ['forward', 'forward and back', 'backward'];

function samplerDetails(bytes: Uint8Array): BlockDetail[] {
  const fields = new FieldReader(bytes, true);
  const values = {
    Manufacturer: fields.uint32(),
    Product: fields.uint32(),
    'Sample period': `${fields.uint32()} ns`,
    'Unity note': fields.uint32(),
    'Pitch fraction': fields.uint32(),
    'SMPTE format': fields.uint32(),
    'SMPTE offset': fields.uint32(),
    Loops: fields.uint32(),
  };
  fields.uint32();
  const details = detailsOf(values);
  for (let loop = 0; loop < values.Loops && fields.left >= 24; loop += 1) {
    const [id, type, start, end, , plays] = Array.from({ length: 6 }, () => fields.uint32());
    const kind = LOOP_TYPES[type ?? -1] ?? `type ${type}`;
    const value = `samples ${start} to ${end}, ${kind}, ${plays === 0 ? 'endless' : `${plays} times`}`;
    details.push({ name: `Loop ${id}`, value });
  }
  return details;
}

function instrumentDetails(bytes: Uint8Array): BlockDetail[] {
  const fields = new FieldReader(bytes, true);
  return detailsOf({
    'Unshifted note': fields.uint8(),
    'Fine tune': `${fields.int8()} cents`,
    Gain: `${fields.int8()} dB`,
    'Low note': fields.uint8(),
    'High note': fields.uint8(),
    'Low velocity': fields.uint8(),
    'High velocity': fields.uint8(),
  });
}

function cartDetails(bytes: Uint8Array): BlockDetail[] {
  const fields = new FieldReader(bytes, true);
  const names64 = ['Title', 'Artist', 'CutID', 'ClientID', 'Category', 'Classification', 'OutCue'];
  const values: Record<string, string | number> = { Version: fields.text(4) };
  for (const name of names64) values[name] = fields.text(64);
  for (const [name, length] of [
    ['StartDate', 10],
    ['StartTime', 8],
    ['EndDate', 10],
    ['EndTime', 8],
  ] as const)
    values[name] = fields.text(length);
  for (const name of ['ProducerAppID', 'ProducerAppVersion', 'UserDef']) values[name] = fields.text(64);
  values['LevelReference'] = fields.uint32();
  for (let timer = 1; timer <= 8; timer += 1) {
    const [usage, value] = [fields.text(4), fields.uint32()];
    if (usage !== '') values[`PostTimer ${timer}`] = `${usage} ${value}`;
  }
  fields.take(276);
  values['URL'] = fields.text(1024);
  values['TagText'] = decodeText(fields.rest());
  return detailsOf(values);
}

function channelDetails(bytes: Uint8Array): BlockDetail[] {
  const fields = new FieldReader(bytes, true);
  const details = detailsOf({ Tracks: fields.uint16(), UIDs: fields.uint16() });
  while (fields.left >= 40) {
    const [track, uid, trackRef, packRef] = [fields.uint16(), fields.text(12), fields.text(14), fields.text(11)];
    fields.take(1);
    if (track > 0)
      details.push({ name: `Track ${track}`, value: [uid, trackRef, packRef].filter(Boolean).join(' · ') });
  }
  return details;
}

function textDetails(bytes: Uint8Array): BlockDetail[] {
  return [{ name: 'Text', value: decodeIxml(bytes) }];
}

/** Every text of a document by its path, the same names counted; the whole text when it is not well-formed. */
export function xmlDetails(bytes: Uint8Array): BlockDetail[] {
  const text = decodeIxml(bytes);
  try {
    return leavesOf(text, parseXml(text), '');
  } catch (error) {
    if (!(error instanceof FormatError)) throw error;
    return [
      { name: 'Fault', value: error.message },
      { name: 'Text', value: text },
    ];
  }
}

function leavesOf(text: string, element: XmlElement, path: string): BlockDetail[] {
  const all = new Map<string, number>();
  for (const { name } of element.children) all.set(name, (all.get(name) ?? 0) + 1);
  const seen = new Map<string, number>();
  return element.children.flatMap((child) => {
    const count = (seen.get(child.name) ?? 0) + 1;
    seen.set(child.name, count);
    const here = `${path}${child.name}${all.get(child.name) === 1 ? '' : ` ${count}`}`;
    if (child.children.length > 0) return leavesOf(text, child, `${here}/`);
    return [{ name: here, value: textOf(text, child) }];
  });
}
