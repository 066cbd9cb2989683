import { asciiOf, viewOf } from '../byte-source.ts';

/** One MPEG audio frame's header: ISO/IEC 11172-3 §2.4.1.3 and 13818-3 §2.4.2; version 2.5 is common practice. */
export interface MpegFrame {
  version: 1 | 2 | 2.5;
  layer: 1 | 2 | 3;
  bitRate: number;
  sampleRateHz: number;
  channels: number;
  /** Bytes of the frame with its header. */
  sizeBytes: number;
  samplesPerFrame: number;
  /** Bytes from the frame's start to a Xing or Info header in it: header, then the side information of layer 3. */
  sideInfoEnd: number;
}

/** kbit/s by index 1 to 14, for MPEG 1 by layer, and for MPEG 2 and 2.5 layer 1, then layers 2 and 3. */
const BIT_RATES: Record<string, readonly number[]> = {
  '1/1': [32, 64, 96, 128, 160, 192, 224, 256, 288, 320, 352, 384, 416, 448],
  '1/2': [32, 48, 56, 64, 80, 96, 112, 128, 160, 192, 224, 256, 320, 384],
  '1/3': [32, 40, 48, 56, 64, 80, 96, 112, 128, 160, 192, 224, 256, 320],
  '2/1': [32, 48, 56, 64, 80, 96, 112, 128, 144, 160, 176, 192, 224, 256],
  '2/2': [8, 16, 24, 32, 40, 48, 56, 64, 80, 96, 112, 128, 144, 160],
};
const SAMPLE_RATES = { 1: [44100, 48000, 32000], 2: [22050, 24000, 16000], 2.5: [11025, 12000, 8000] } as const;

/** The frame whose header stands at an offset, or undefined when none does. Free-format frames are not known. */
export function parseMpegFrame(bytes: Uint8Array, at: number): MpegFrame | undefined {
  const [first = 0, second = 0, third = 0, fourth = 0] = bytes.subarray(at, at + 4);
  if (first !== 0xff || (second & 0xe0) !== 0xe0 || at + 4 > bytes.length) return undefined;
  const version = ([2.5, undefined, 2, 1] as const)[(second >> 3) & 3];
  const layer = ([undefined, 3, 2, 1] as const)[(second >> 1) & 3];
  if (version === undefined || layer === undefined) return undefined;
  const table = BIT_RATES[version === 1 ? `1/${layer}` : layer === 1 ? '2/1' : '2/2'];
  const kilobits = table?.[(third >> 4) - 1];
  const sampleRateHz = SAMPLE_RATES[version][(third >> 2) & 3];
  if (kilobits === undefined || sampleRateHz === undefined) return undefined;
  const padding = (third >> 1) & 1;
  const samplesPerFrame = layer === 1 ? 384 : layer === 3 && version !== 1 ? 576 : 1152;
  const bitRate = kilobits * 1000;
  const mono = fourth >> 6 === 3;
  const sideInfo = version === 1 ? (mono ? 17 : 32) : mono ? 9 : 17;
  return {
    version,
    layer,
    bitRate,
    sampleRateHz,
    channels: mono ? 1 : 2,
    sizeBytes:
      layer === 1
        ? (Math.floor((12 * bitRate) / sampleRateHz) + padding) * 4
        : Math.floor(((samplesPerFrame / 8) * bitRate) / sampleRateHz) + padding,
    samplesPerFrame,
    sideInfoEnd: 4 + sideInfo,
  };
}

/** What the first frame of a file may tell instead of sound. */
export interface MpegSummary {
  frameCount: number;
  /** Samples that the encoder put before and behind the sound; absent when not told. */
  delay?: number;
  padding?: number;
}

/**
 * The summary in a first frame: a Xing or Info header behind the side information, with the encoder's delay 21 bytes behind the encoder's
 * name, or a VBRI header 36 bytes into the frame (both common practice, from memory). Undefined when the frame holds sound.
 */
export function parseMpegSummary(bytes: Uint8Array, at: number, frame: MpegFrame): MpegSummary | undefined {
  const view = viewOf(bytes);
  const start = at + frame.sideInfoEnd;
  const end = Math.min(bytes.length, at + frame.sizeBytes);
  const id = asciiOf(bytes.subarray(start, start + 4));
  if ((id === 'Xing' || id === 'Info') && start + 8 <= end) {
    const flags = view.getUint32(start + 4);
    let next = start + 8;
    const frameCount = flags & 1 && next + 4 <= end ? view.getUint32(next) : 0;
    next += (flags & 1 ? 4 : 0) + (flags & 2 ? 4 : 0) + (flags & 4 ? 100 : 0) + (flags & 8 ? 4 : 0);
    const encoder = next + 24 <= end && bytes[next] !== 0;
    if (!encoder) return { frameCount };
    const packed = ((bytes[next + 21] ?? 0) << 16) | ((bytes[next + 22] ?? 0) << 8) | (bytes[next + 23] ?? 0);
    return { frameCount, delay: packed >> 12, padding: packed & 0xfff };
  }
  const fixed = at + 36;
  if (asciiOf(bytes.subarray(fixed, fixed + 4)) === 'VBRI' && fixed + 18 <= end)
    return { frameCount: view.getUint32(fixed + 14) };
  return undefined;
}
