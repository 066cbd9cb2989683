/** How samples are to be stored: little-endian, as WAV does. */
export interface StoredFormat {
  sampleFormat: 'integer' | 'float';
  /** 8, 16, 24 or 32; of floats 32 or 64. */
  bitDepth: number;
}

/** Planar samples, full scale 1, as interleaved bytes; integers are rounded to the nearest and limited to full scale. */
export function encodePcm(
  planar: readonly Float32Array[],
  { sampleFormat, bitDepth }: StoredFormat,
  frames = planar[0]?.length ?? 0,
): Uint8Array<ArrayBuffer> {
  const width = Math.ceil(bitDepth / 8);
  const bytes = new Uint8Array(frames * planar.length * width);
  const view = new DataView(bytes.buffer);
  const full = 2 ** (width * 8 - 1);
  planar.forEach((samples, channel) => {
    for (let frame = 0; frame < frames; frame += 1) {
      const at = (frame * planar.length + channel) * width;
      const sample = samples[frame] as number;
      if (sampleFormat === 'float') {
        if (width === 8) view.setFloat64(at, sample, true);
        else view.setFloat32(at, sample, true);
        continue;
      }
      const value = Math.max(-full, Math.min(full - 1, Math.round(sample * full)));
      if (width === 1) bytes[at] = value + 128;
      else if (width === 2) view.setInt16(at, value, true);
      else if (width === 4) view.setInt32(at, value, true);
      else {
        bytes[at] = value & 0xff;
        view.setInt16(at + 1, value >> 8, true);
      }
    }
  });
  return bytes;
}
