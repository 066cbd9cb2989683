import type { Issue } from '../errors.ts';
import type { FieldName, SoundRecord } from '../record/fields.ts';
import { disagreeingFields, placesOf, recordFromPlaces, type FieldPlace, type FoundTexts } from './field-places.ts';

export type SampleFormat = 'integer' | 'float' | 'alaw' | 'mulaw' | 'coded';
export type ContainerName = 'WAV' | 'RF64' | 'BW64' | 'AIFF' | 'AIFF-C' | 'FLAC' | 'MP3' | 'Ogg' | 'CAF' | 'M4A';

/** The technical facts of a file, as its headers state them. */
export interface AudioFacts {
  container: ContainerName;
  codec: string;
  sampleFormat: SampleFormat;
  sampleRateHz: number;
  /** Bits of a sample as stored; 0 where the codec has none. */
  bitDepth: number;
  channels: number;
  /** Speaker positions of WAVE_FORMAT_EXTENSIBLE; absent where the file does not say. */
  channelMask?: number;
  /** Sample frames, without an encoder's delay and padding; 0 when the header does not say. */
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
  /** Samples of eight bits are signed, as in AIFF; WAV's are not. */
  signedBytes?: boolean;
  /** MD5 of the decoded samples, from FLAC's STREAMINFO; absent where it is not filled in. */
  decodedMd5?: string;
  /** Frames that an MP3 encoder put before the sound. */
  encoderDelayFrames?: number;
}

/** What a file says: facts, every place of every field, the record that the most trusted places give, and where places disagree. */
export interface AudioFile {
  facts: AudioFacts;
  record: Partial<SoundRecord>;
  places: FieldPlace[];
  disagreeing: FieldName[];
  issues: Issue[];
}

/** The file that facts and texts make. */
export function audioFile(facts: AudioFacts, found: FoundTexts, issues: Issue[]): AudioFile {
  const places = placesOf(found);
  return { facts, places, record: recordFromPlaces(places), disagreeing: disagreeingFields(places), issues };
}
