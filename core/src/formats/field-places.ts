import { checkedMarks, marksOf, marksText, shareOfMarks } from '../record/marks.ts';
import { tidyKeywords } from '../record/edit.ts';
import { FIELD_NAMES, isEmptyValue, sameValue, type FieldName, type SoundRecord } from '../record/fields.ts';
import { tidyText } from '../text/tidy-text.ts';
import { chaptersAgree, fittedChapters, type Clock } from './chapters.ts';
import type { TextEncodingName } from './text-encoding.ts';
import { fittedAscii } from './text-encoding.ts';

/** The systems of metadata that files carry; each container holds some of them. */
export type PlaceSystem = 'iXML' | 'INFO' | 'ID3' | 'Vorbis' | 'AIFF' | 'bext' | 'cue' | 'XMP' | 'ID3v1' | 'MP4';

/** A place in a file where a field can stand: the system and the key within it, as `INFO INAM`. */
export type Place = `${PlaceSystem} ${string}`;

/**
 * Where each field of the record stands, most trusted place first: the order decides which value wins when places disagree. The same
 * table drives reading and writing. Sources of the places: docs/formats.md.
 */
export const FIELD_PLACES: Record<FieldName, readonly Place[]> = {
  fxName: [
    'iXML ASWG/fxName',
    'INFO INAM',
    'ID3 TIT2',
    'Vorbis TITLE',
    'AIFF NAME',
    'MP4 title',
    'XMP dc:title',
    'ID3v1 title',
  ],
  description: [
    'INFO ICMT',
    'iXML BEXT/BWF_DESCRIPTION',
    'iXML NOTE',
    'ID3 COMM',
    'Vorbis DESCRIPTION',
    'Vorbis COMMENT',
    'AIFF ANNO',
    'bext description',
    'MP4 comment',
    'XMP dc:description',
    'ID3v1 comment',
  ],
  keywords: ['iXML FLAGSTONE/KEYWORDS', 'INFO IKEY', 'ID3 TXXX:KEYWORDS', 'Vorbis KEYWORDS', 'MP4 keywords'],
  notes: ['iXML ASWG/notes', 'ID3 TXXX:NOTES', 'Vorbis NOTES'],
  catId: ['iXML ASWG/catId', 'ID3 TXXX:CATID', 'Vorbis CATID'],
  category: ['iXML ASWG/category', 'INFO IGNR', 'ID3 TCON', 'Vorbis GENRE'],
  subCategory: ['iXML ASWG/subCategory', 'INFO IGNR', 'ID3 TCON', 'Vorbis GENRE'],
  userCategory: ['iXML ASWG/userCategory', 'ID3 TXXX:USERCATEGORY', 'Vorbis USERCATEGORY'],
  vendorCategory: ['iXML ASWG/vendorCategory', 'ID3 TXXX:VENDORCATEGORY', 'Vorbis VENDORCATEGORY'],
  userData: ['iXML ASWG/userData', 'ID3 TXXX:USERDATA', 'Vorbis USERDATA'],
  library: ['iXML ASWG/library', 'INFO IPRD', 'ID3 TALB', 'Vorbis ALBUM', 'MP4 album', 'ID3v1 album'],
  sourceId: ['iXML ASWG/sourceId', 'ID3 TXXX:SOURCEID', 'Vorbis SOURCEID'],
  creator: [
    'iXML ASWG/originator',
    'INFO IART',
    'ID3 TPE1',
    'Vorbis ARTIST',
    'AIFF AUTH',
    'bext originator',
    'MP4 artist',
    'XMP dc:creator',
    'ID3v1 artist',
  ],
  creatorId: ['iXML ASWG/creatorId', 'ID3 TXXX:CREATORID', 'Vorbis CREATORID'],
  publisher: ['iXML ASWG/musicPublisher', 'ID3 TPUB', 'Vorbis ORGANIZATION'],
  copyright: [
    'iXML ASWG/rightsOwner',
    'INFO ICOP',
    'ID3 TCOP',
    'Vorbis COPYRIGHT',
    'AIFF (c)',
    'MP4 copyright',
    'XMP dc:rights',
  ],
  licence: ['iXML FLAGSTONE/LICENCE', 'ID3 TXXX:LICENSE', 'Vorbis LICENSE'],
  licenceUrl: ['iXML FLAGSTONE/LICENCE_URL', 'ID3 TXXX:LICENSEURL', 'ID3 WCOP', 'Vorbis LICENSEURL'],
  recordedOn: ['bext originationDate', 'INFO ICRD', 'ID3 TXXX:RECORDEDON', 'ID3 TDRC', 'Vorbis DATE', 'ID3v1 year'],
  location: ['iXML ASWG/recordingLoc', 'ID3 TXXX:LOCATION', 'Vorbis LOCATION'],
  microphone: ['iXML ASWG/micType', 'ID3 TXXX:MICROPHONE', 'Vorbis MICROPHONE'],
  project: ['iXML ASWG/project', 'iXML PROJECT', 'ID3 TXXX:PROJECT', 'Vorbis PROJECT'],
  form: ['iXML FLAGSTONE/FORM', 'ID3 TXXX:FORM', 'Vorbis FORM'],
  weight: ['iXML FLAGSTONE/WEIGHT', 'ID3 TXXX:WEIGHT', 'Vorbis WEIGHT'],
  activity: ['iXML FLAGSTONE/ACTIVITY', 'ID3 TXXX:ACTIVITY', 'Vorbis ACTIVITY'],
  rating: ['iXML FLAGSTONE/RATING', 'ID3 TXXX:RATING', 'Vorbis RATING'],
  tempo: ['iXML ASWG/tempo', 'ID3 TXXX:TEMPO', 'ID3 TBPM', 'Vorbis BPM'],
  key: ['iXML ASWG/inKey', 'ID3 TKEY', 'Vorbis KEY'],
  composer: ['iXML ASWG/composer', 'ID3 TCOM', 'Vorbis COMPOSER', 'MP4 composer'],
  slices: ['cue marks', 'AIFF MARK', 'ID3 TXXX:SLICES', 'Vorbis SLICES', 'ID3 CHAP', 'Vorbis CHAPTER'],
  syncPoints: ['cue marks', 'iXML SYNC_POINT_LIST', 'AIFF MARK', 'ID3 TXXX:SYNCPOINTS', 'Vorbis SYNCPOINTS'],
};

/** Places that hold slices and sync points together. */
const BOTH_MARKS: readonly Place[] = ['cue marks', 'AIFF MARK'];
/** Places that hold times in milliseconds, read and compared as the frames nearest to them. */
const CHAPTERS: readonly Place[] = ['ID3 CHAP', 'Vorbis CHAPTER'];

/** Places that hold `CATEGORY/SUBCATEGORY` in one text. */
export const GENRE_PLACES: readonly Place[] = ['INFO IGNR', 'ID3 TCON', 'Vorbis GENRE'];

/** How a place that cannot hold every text holds it; other places hold the full text. */
const FITTED: Partial<Record<Place, (text: string) => string>> = {
  'bext description': (text) => fittedAscii(text, 256),
  'bext originator': (text) => fittedAscii(text, 32),
  'bext originationDate': (text) => (/^\d{4}-\d{2}-\d{2}(T\d{2}:\d{2}:\d{2})?$/.test(text) ? text : ''),
  // ID3v2.3 holds minutes only and no text that is no date; TXXX:RECORDEDON holds the full value.
  'ID3 TDRC': (text) => /^\d{4}(-\d{2}-\d{2}(T\d{2}:\d{2})?)?/.exec(text)?.[0] ?? '',
  // ID3v2.3 §4.3: an address in ASCII, or none.
  'ID3 WCOP': (text) => (/^[\x21-\x7e]*$/.test(text) ? text : ''),
  // ID3v2.3 §4.2.1: "The 'BPM' frame ... is an integer".
  'ID3 TBPM': (text) => String(Math.round(Number(text))),
  'ID3v1 title': (text) => fittedAscii(text, 30),
  'ID3v1 artist': (text) => fittedAscii(text, 30),
  'ID3v1 album': (text) => fittedAscii(text, 30),
  'ID3v1 comment': (text) => fittedAscii(text, 28),
  'ID3v1 year': (text) => /^\d{4}/.exec(text)?.[0] ?? '',
};

const NUMBER_FIELDS: readonly FieldName[] = ['weight', 'activity', 'rating', 'tempo'];
const LONG_TEXT_FIELDS: readonly FieldName[] = ['description', 'notes'];

/** A text as it was found in a file. */
export interface FoundText {
  text: string;
  offsetBytes: number;
  encoding?: TextEncodingName;
}

/** The texts of a file by system and key. */
export type FoundTexts = Partial<Record<PlaceSystem, ReadonlyMap<string, FoundText>>>;

/** One place in a file where a field was found. */
export interface FieldPlace {
  field: FieldName;
  place: Place;
  value: SoundRecord[FieldName];
  offsetBytes: number;
  /** How the text was decoded, where the format does not say it. */
  encoding?: TextEncodingName;
}

/** The system of a place and the key within it. */
function splitPlace(place: Place): [system: PlaceSystem, key: string] {
  const space = place.indexOf(' ');
  return [place.slice(0, space) as PlaceSystem, place.slice(space + 1)];
}

/** The table taken apart once, since every file that is read goes through it. */
const SPLIT_PLACES = FIELD_NAMES.flatMap((field) =>
  FIELD_PLACES[field].map((place) => ({ field, place, system: splitPlace(place)[0], key: splitPlace(place)[1] })),
);

/** A place with a text that none of its fields can take: a genre of no category, a tempo in words. A write replaces it like any other. */
export interface UnreadPlace {
  place: Place;
  text: string;
}

/** The places of a file that say something which is no value of a field. */
export function unreadPlaces(found: FoundTexts, read: readonly FieldPlace[]): UnreadPlace[] {
  const known = new Set(read.map(({ place }) => place));
  const unread = new Map<Place, string>();
  for (const { place, system, key } of SPLIT_PLACES) {
    const text = found[system]?.get(key)?.text.trim();
    if (text && !known.has(place)) unread.set(place, text);
  }
  return [...unread].map(([place, text]) => ({ place, text }));
}

/** Every place of every field, most trusted first within a field. */
export function placesOf(found: FoundTexts): FieldPlace[] {
  const places: FieldPlace[] = [];
  for (const { field, place, system, key } of SPLIT_PLACES) {
    const at = found[system]?.get(key);
    if (!at) continue;
    const value = valueFromText(field, place, at.text);
    if (value === undefined || isEmptyValue(value)) continue;
    const { offsetBytes, encoding } = at;
    places.push(encoding ? { field, place, value, offsetBytes, encoding } : { field, place, value, offsetBytes });
  }
  return places;
}

/** The record that the places give: the first place of each field wins. */
export function recordFromPlaces(places: readonly FieldPlace[]): Partial<SoundRecord> {
  const record: Partial<SoundRecord> = {};
  const values = record as Record<FieldName, SoundRecord[FieldName]>;
  for (const { field, value } of places) values[field] ??= value;
  return record;
}

/** Whether a place says the same as the winning value, allowing for places that hold a shortened form. */
export function agrees(place: Place, value: SoundRecord[FieldName], winner: SoundRecord[FieldName]): boolean {
  if (sameValue(value, winner)) return true;
  const [text, full] = [plainText(value), plainText(winner)];
  if (CHAPTERS.includes(place)) return chaptersAgree(text, full);
  // A year agrees with a day of it, a day with a time of it.
  if (FIELD_PLACES.recordedOn.includes(place) && /^\d{4}/.test(text) && /^\d{4}/.test(full))
    return full.startsWith(text) || text.startsWith(full);
  return FITTED[place] !== undefined && text === tidyText(FITTED[place](full), true);
}

/** The fields that stand in several places which do not say the same. */
export function disagreeingFields(places: readonly FieldPlace[]): FieldName[] {
  const winners = recordFromPlaces(places);
  const found = places.filter(({ field, place, value }) => {
    const winner = winners[field];
    return winner !== undefined && !agrees(place, value, winner);
  });
  return [...new Set(found.map(({ field }) => field))];
}

/** The value that a place's text means for a field, or undefined when it means none. */
export function valueFromText(field: FieldName, place: Place, text: string): SoundRecord[FieldName] | undefined {
  if (GENRE_PLACES.includes(place)) {
    const [category = '', subCategory, ...more] = text.split('/');
    if (subCategory === undefined || more.length > 0) return undefined;
    return tidyText(field === 'category' ? category : subCategory, false).toUpperCase();
  }
  if (BOTH_MARKS.includes(place)) return shareOfMarks(field === 'slices' ? field : 'syncPoints', text);
  if (field === 'slices' || field === 'syncPoints') {
    const marks = checkedMarks(field, text);
    return 'text' in marks ? marks.text : undefined;
  }
  if (field === 'keywords') return tidyKeywords([text]);
  if (NUMBER_FIELDS.includes(field)) {
    const value = Number(text.trim() || NaN);
    return Number.isFinite(value) ? value : undefined;
  }
  return tidyText(text, LONG_TEXT_FIELDS.includes(field));
}

function plainText(value: SoundRecord[FieldName]): string {
  if (value === null) return '';
  return Array.isArray(value) ? value.join('; ') : String(value);
}

/** The text that stands in a place for a record, shortened where the place cannot hold more. */
export function textForPlace(record: SoundRecord, field: FieldName, place: Place, clock?: Clock): string {
  if (BOTH_MARKS.includes(place)) return marksText(marksOf(record.slices, record.syncPoints));
  if (CHAPTERS.includes(place)) return clock ? fittedChapters(record.slices, clock, place === 'ID3 CHAP') : '';
  if (GENRE_PLACES.includes(place)) return record.category === '' ? '' : `${record.category}/${record.subCategory}`;
  const text = plainText(record[field]);
  return text === '' ? '' : (FITTED[place]?.(text) ?? text);
}

/** The fields that a write has to touch: those that hold something, and those that the file says and the record does not. */
export function fieldsToWrite(record: SoundRecord, inFile: Partial<SoundRecord>): FieldName[] {
  return FIELD_NAMES.filter((name) => !isEmptyValue(record[name]) || !sameValue(record[name], inFile[name]));
}

/** The texts that each of the systems has to hold for a record, by key; an empty text takes a place out. `clock` is that of the file. */
export function textsToWrite(
  record: SoundRecord,
  inFile: Partial<SoundRecord>,
  clock: Clock,
): (system: PlaceSystem) => ReadonlyMap<string, string> {
  const bySystem = new Map<PlaceSystem, Map<string, string>>();
  for (const field of fieldsToWrite(record, inFile)) {
    for (const place of FIELD_PLACES[field]) {
      const [system, key] = splitPlace(place);
      const texts = bySystem.get(system) ?? new Map<string, string>();
      bySystem.set(system, texts.set(key, textForPlace(record, field, place, clock)));
    }
  }
  return (system) => bySystem.get(system) ?? new Map<string, string>();
}
