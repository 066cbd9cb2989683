import type { AudioFacts } from '../formats/audio-file.ts';

/** How long a sound is, once somebody listened to the end. */
export interface KnownLength {
  frames: number;
  /** There is less audio than the file was made with. */
  isCutShort: boolean;
}

/** Frames by which decoders differ from headers: an encoder's delay and its last blocks, up to four of MP3 and eight of AAC. FLAC counts exactly. */
const LEEWAY: Record<string, number> = { FLAC: 0, M4A: 8 * 1024 };
const OTHER_LEEWAY = 4 * 1152;

/** The length of a sound of which so many frames could be decoded: what the header says, unless it is not told, estimated, or more than is there. */
export function decodedLength(facts: AudioFacts, decodedFrames: number): KnownLength {
  const isTold = facts.frames > 0 && facts.isLengthEstimated !== true;
  const leeway = LEEWAY[facts.container] ?? OTHER_LEEWAY;
  const lacks = isTold && facts.sampleFormat === 'coded' && decodedFrames < facts.frames - leeway;
  return {
    frames: isTold && !lacks ? facts.frames : decodedFrames,
    isCutShort: lacks || facts.isCutShort === true,
  };
}
