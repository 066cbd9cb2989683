import { FormatError, type Issue } from '../errors.ts';
import type { FieldName, SoundRecord } from '../record/fields.ts';
import {
  unreadPlaces,
  type UnreadPlace,
  disagreeingFields,
  placesOf,
  recordFromPlaces,
  type FieldPlace,
  type FoundTexts,
} from './field-places.ts';
import { otherTexts, type OtherTexts } from './other-texts.ts';

export type SampleFormat = 'integer' | 'float' | 'alaw' | 'mulaw' | 'coded';
export type ContainerName =
  'WAV' | 'RIFX' | 'RF64' | 'BW64' | 'W64' | 'AIFF' | 'AIFF-C' | 'AU' | 'FLAC' | 'MP3' | 'Ogg' | 'CAF' | 'M4A';

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
  /** The channels are a sound field (ambisonics), not speakers; absent where the file does not say. */
  isAmbisonic?: boolean;
  /** What iXML calls each channel, in their order, empty where it does not say; absent where it names none. */
  trackNames?: string[];
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
  /** The file ends before its audio does, as far as its headers tell; decoding may find it out later (audio/decoded-length.ts). */
  isCutShort?: boolean;
  /** `frames` follows from the bit rate, since no header counts them. */
  isLengthEstimated?: boolean;
  /** Frames that an MP3 encoder put before the sound. */
  encoderDelayFrames?: number;
}

/** What a file says: facts, every place of every field, the record that the most trusted places give, and where places disagree. */
export interface AudioFile {
  facts: AudioFacts;
  record: Partial<SoundRecord>;
  places: FieldPlace[];
  /** What stands in places of fields and is no value of theirs. */
  unread: UnreadPlace[];
  /** Its texts that no field takes, `unread` among them, bounded. */
  otherTexts: OtherTexts;
  disagreeing: FieldName[];
  issues: Issue[];
}

const MAX_CHANNELS = 4096;
const MAX_RATE_HZ = 100_000_000;

/** The file that facts and texts make. Throws FORMAT_DAMAGED for facts that no sound has, so that nobody behind has to expect them. */
export function audioFile(facts: AudioFacts, found: FoundTexts, issues: Issue[]): AudioFile {
  const { container, sampleRateHz: rate, channels, bitDepth, frames, durationSeconds, audioOffset, audioBytes } = facts;
  const counts = [rate, channels, bitDepth, frames, audioOffset, audioBytes];
  const possible =
    counts.every((count) => Number.isSafeInteger(count) && count >= 0) &&
    Number.isFinite(durationSeconds) &&
    rate >= 1 &&
    rate <= MAX_RATE_HZ &&
    channels >= 1 &&
    channels <= MAX_CHANNELS &&
    bitDepth <= 64;
  if (!possible) {
    const message = `Its headers say what cannot be: ${rate} Hz, ${channels} channels, ${bitDepth} bits, ${frames} frames.`;
    throw new FormatError('FORMAT_DAMAGED', container, message, 0);
  }
  const places = placesOf(found);
  const unread = unreadPlaces(found, places);
  return {
    facts,
    places,
    unread,
    otherTexts: otherTexts(found, places),
    record: recordFromPlaces(places),
    disagreeing: disagreeingFields(places),
    issues,
  };
}
