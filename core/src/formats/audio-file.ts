import type { Issue } from '../errors.ts';
import type { FieldName, SoundRecord } from '../record/fields.ts';

export type SampleFormat = 'integer' | 'float' | 'alaw' | 'mulaw' | 'coded';

/** The technical facts of a file, as its headers state them. */
export interface AudioFacts {
  container: 'WAV' | 'RF64' | 'BW64' | 'AIFF' | 'AIFF-C' | 'FLAC' | 'MP3' | 'Ogg' | 'CAF' | 'M4A';
  codec: string;
  sampleFormat: SampleFormat;
  sampleRateHz: number;
  /** Bits of a sample as stored; 0 where the codec has none. */
  bitDepth: number;
  channels: number;
  /** Speaker positions of WAVE_FORMAT_EXTENSIBLE; absent where the file does not say. */
  channelMask?: number;
  /** Sample frames; 0 when the header does not say. */
  frames: number;
  durationSeconds: number;
  /** Samples since midnight, from bext. */
  timeReference?: number;
  /** Where the coded audio begins, and its length in bytes. */
  audioOffset: number;
  audioBytes: number;
  /** Bytes of one frame for PCM, else 0. */
  frameBytes: number;
  bigEndian: boolean;
}

/** One place in a file where a field was found. */
export interface FieldPlace {
  field: FieldName;
  place: string;
  value: SoundRecord[FieldName];
  offsetBytes: number;
}

/** What a file says: facts, every place of every field, and the record that the most trusted places give. */
export interface AudioFile {
  facts: AudioFacts;
  record: Partial<SoundRecord>;
  places: FieldPlace[];
  issues: Issue[];
}

/** The record that the places give: the first place of each field wins, so list the most trusted first. */
export function recordFromPlaces(places: readonly FieldPlace[]): Partial<SoundRecord> {
  const record: Partial<SoundRecord> = {};
  for (const { field, value } of places) if (record[field] === undefined) Object.assign(record, { [field]: value });
  return record;
}
