import type { FieldName, SoundRecord } from '../record/fields.ts';
import { FIELD_NAMES, isEmptyValue, sameValue } from '../record/fields.ts';
import { tidyKeywords, tidyText } from '../record/edit.ts';
import type { BroadcastExtension } from './bext.ts';

/**
 * Where each field of the record stands in a WAV file, most trusted place first: the order decides which value wins when places
 * disagree. The same table drives reading and writing. Sources of the places: docs/formats.md.
 */
export type WavPlace = `iXML ${string}` | `INFO ${string}` | `bext ${keyof BroadcastExtension}`;

export const WAV_PLACES: Partial<Record<FieldName, readonly WavPlace[]>> = {
  fxName: ['iXML ASWG/fxName', 'INFO INAM'],
  description: ['INFO ICMT', 'iXML BEXT/BWF_DESCRIPTION', 'iXML NOTE', 'bext description'],
  keywords: ['iXML FLAGSTONE/KEYWORDS', 'INFO IKEY'],
  notes: ['iXML ASWG/notes'],
  catId: ['iXML ASWG/catId'],
  category: ['iXML ASWG/category', 'INFO IGNR'],
  subCategory: ['iXML ASWG/subCategory', 'INFO IGNR'],
  userCategory: ['iXML ASWG/userCategory'],
  vendorCategory: ['iXML ASWG/vendorCategory'],
  userData: ['iXML ASWG/userData'],
  library: ['iXML ASWG/library', 'INFO IPRD'],
  sourceId: ['iXML ASWG/sourceId'],
  creator: ['iXML ASWG/originator', 'INFO IART', 'bext originator'],
  creatorId: ['iXML ASWG/creatorId'],
  publisher: ['iXML ASWG/musicPublisher'],
  copyright: ['iXML ASWG/rightsOwner', 'INFO ICOP'],
  licence: ['iXML FLAGSTONE/LICENCE'],
  licenceUrl: ['iXML FLAGSTONE/LICENCE_URL'],
  recordedOn: ['bext originationDate', 'INFO ICRD'],
  location: ['iXML ASWG/recordingLoc'],
  microphone: ['iXML ASWG/micType'],
  project: ['iXML ASWG/project', 'iXML PROJECT'],
  form: ['iXML FLAGSTONE/FORM'],
  weight: ['iXML FLAGSTONE/WEIGHT'],
  activity: ['iXML FLAGSTONE/ACTIVITY'],
  rating: ['iXML FLAGSTONE/RATING'],
  tempo: ['iXML ASWG/tempo'],
  key: ['iXML ASWG/inKey'],
  composer: ['iXML ASWG/composer'],
};

const FULL_DATE = /^\d{4}-\d{2}-\d{2}$/;
const FULL_TIME = /^\d{2}:\d{2}:\d{2}$/;
const DATE_TIME = /^(\d{4}-\d{2}-\d{2})(?:[T ](\d{2}:\d{2}:\d{2}))?$/;
const NUMBER_FIELDS: readonly FieldName[] = ['weight', 'activity', 'rating', 'tempo'];
const LONG_TEXT_FIELDS: readonly FieldName[] = ['description', 'notes'];

/** The value that a place's text means for a field, or undefined when it means none. */
export function valueFromText(field: FieldName, place: WavPlace, text: string): SoundRecord[FieldName] | undefined {
  if (place === 'INFO IGNR') {
    const [category = '', subCategory, ...more] = text.split('/');
    if (subCategory === undefined || more.length > 0) return undefined;
    return tidyText(field === 'category' ? category : subCategory, false).toUpperCase();
  }
  if (field === 'keywords') return tidyKeywords([text]);
  if (NUMBER_FIELDS.includes(field)) {
    const value = Number(text.trim() || NaN);
    return Number.isFinite(value) ? value : undefined;
  }
  return tidyText(text, LONG_TEXT_FIELDS.includes(field));
}

/** The recording's date, with its time when there is one, from the two bext fields; undefined when no real date stands there. */
export function recordedOnFromBext(bext: BroadcastExtension): string | undefined {
  const date = bext.originationDate.replace(/^(\d{4})[_:. /](\d{2})[_:. /](\d{2})$/, '$1-$2-$3');
  const time = bext.originationTime.replace(/^(\d{2})[_. -](\d{2})[_. -](\d{2})$/, '$1:$2:$3');
  if (!FULL_DATE.test(date) || date.startsWith('0000')) return undefined;
  return FULL_TIME.test(time) ? `${date}T${time}` : date;
}

/** What the bext date and time fields hold for a recording date; both empty when it is no full date. */
export function bextDate(recordedOn: string): { originationDate: string; originationTime: string } {
  const match = DATE_TIME.exec(recordedOn);
  return { originationDate: match?.[1] ?? '', originationTime: match?.[2] ?? '' };
}

/** The text that stands in a place for a record. */
export function textForPlace(record: SoundRecord, field: FieldName, place: WavPlace): string {
  if (place === 'INFO IGNR') return record.category === '' ? '' : `${record.category}/${record.subCategory}`;
  const value = record[field];
  if (value === null) return '';
  return Array.isArray(value) ? value.join('; ') : String(value);
}

/** The fields that a write has to touch: those that differ from what the file gives, and those it gives in only some places. */
export function fieldsToWrite(record: SoundRecord, inFile: Partial<SoundRecord>): FieldName[] {
  return FIELD_NAMES.filter((name) => !isEmptyValue(record[name]) || !sameValue(record[name], inFile[name]));
}
