import { AppError } from '../../errors.ts';
import { differingFields, emptyRecord, type SoundRecord } from '../../record/fields.ts';
import { bytesOfAscii, concatBytes, type ByteSource } from '../byte-source.ts';
import { placesOf, recordFromPlaces, textsToWrite } from '../field-places.ts';
import { refuseDamaged } from '../structural-issues.ts';
import { writeVorbisComment } from '../vorbis-comment.ts';
import { SegmentList, type PlannedWrite } from '../write-plan.ts';
import { oggPageBytes } from './ogg-pages.ts';
import { readOggAnatomy, type OggAnatomy } from './ogg-reader.ts';

const SPARE_BYTES = 2048;

/**
 * Plans the rewriting of an Ogg Vorbis or Opus file so that its comments carry the record. The headers keep their number of pages, so that
 * no page of audio is renumbered: every one of them stays byte for byte. Throws OUTGROWS_CONTAINER when the comments do not fit into these
 * pages (65,025 bytes each).
 */
export async function planOggWrite(source: ByteSource, record: SoundRecord): Promise<PlannedWrite> {
  const anatomy = await readOggAnatomy(source);
  refuseDamaged('Ogg', anatomy.issues);
  const { facts, texts, comment, headerPages } = anatomy;
  const inFile = { ...emptyRecord(), ...recordFromPlaces(placesOf(texts)) };
  const wanted = textsToWrite(record, inFile, facts)('Vorbis');
  if ([...wanted].every(([key, text]) => text === (texts.Vorbis?.get(key)?.text ?? ''))) return { changed: [] };
  const pages = headerBytes(anatomy, writeVorbisComment(comment, wanted, facts));
  const list = new SegmentList();
  list.keep(0, headerPages[0]?.offset ?? 0);
  list.bytes(pages);
  const audioOffset = list.position;
  list.keep(facts.audioOffset, source.sizeBytes - facts.audioOffset);
  return { plan: list.plan(audioOffset, facts.audioBytes), changed: differingFields(inFile, record) };
}

/** The header pages with the new comments, as long as the old ones where padding can make them so. */
function headerBytes({ codec, headerPages, headerPackets, comment }: OggAnatomy, comments: Uint8Array): Uint8Array {
  const magic = bytesOfAscii(codec === 'Vorbis' ? '\x03vorbis' : 'OpusTags');
  const [oldPacket = new Uint8Array(0), ...others] = headerPackets;
  const kept = oldPacket.subarray(magic.length + comment.sizeBytes);
  // RFC 7845 §5.2: what follows the comments in OpusTags is kept when the lowest bit of its first byte is set.
  const preserved = codec === 'Opus' && ((kept[0] ?? 0) & 1) === 1;
  const ending = preserved ? kept : codec === 'Vorbis' ? Uint8Array.of(1) : new Uint8Array(0);
  const plain = concatBytes([magic, comments, ending]);
  const room = oldPacket.length - plain.length;
  const padding = preserved ? 0 : room >= 0 ? room : SPARE_BYTES;
  const packet = concatBytes([plain, new Uint8Array(padding)]);
  return paginate([packet, ...others], headerPages) ?? outgrown(packet.length);
}

function outgrown(bytes: number): never {
  throw new AppError(
    'OUTGROWS_CONTAINER',
    `The comments would have ${bytes} bytes, more than the header pages of this Ogg file can take.`,
  );
}

/** The packets laid over the same number of pages; undefined when they do not fit. Audio begins on the page after. */
function paginate(packets: readonly Uint8Array[], pages: OggAnatomy['headerPages']): Uint8Array | undefined {
  const lacing: number[] = [];
  const endsPacket: boolean[] = [];
  for (const packet of packets) {
    for (let rest = packet.length; rest >= 255; rest -= 255) lacing.push(255);
    lacing.push(packet.length % 255);
    endsPacket[lacing.length - 1] = true;
  }
  if (lacing.length > pages.length * 255 || lacing.length < pages.length) return undefined;
  const body = concatBytes(packets);
  const parts: Uint8Array[] = [];
  let segment = 0;
  let at = 0;
  for (const [index, page] of pages.entries()) {
    // As full as can be, but leaving a segment for each page that still follows.
    const count = Math.min(255, lacing.length - segment - (pages.length - index - 1));
    const values = lacing.slice(segment, segment + count);
    const bytes = values.reduce((total, value) => total + value, 0);
    const continued = segment > 0 && endsPacket[segment - 1] !== true;
    const packetEnds = values.some((_, offset) => endsPacket[segment + offset]);
    parts.push(
      oggPageBytes(
        { flags: continued ? 1 : 0, granule: packetEnds ? 0 : undefined, serial: page.serial, sequence: page.sequence },
        Uint8Array.from(values),
        body.subarray(at, at + bytes),
      ),
    );
    segment += count;
    at += bytes;
  }
  return concatBytes(parts);
}
