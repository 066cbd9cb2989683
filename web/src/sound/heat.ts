/** From dark slate through lichen and ochre to limestone: each step brighter than the one before, so that levels can be read without colour. */
const STOPS = [
  [22, 28, 36],
  [38, 58, 74],
  [48, 98, 88],
  [122, 138, 70],
  [206, 152, 58],
  [250, 236, 204],
] as const;
/** Below this byte nothing is shown: -96 dB of 120. */
const DARK = 51;

/** The colour of a byte of a spectrogram: red, green, blue, opacity. */
export function heatOf(byte: number): [number, number, number, number] {
  const share = Math.max(0, (byte - DARK) / (255 - DARK)) * (STOPS.length - 1);
  const first = Math.min(STOPS.length - 2, Math.floor(share));
  const [from, to] = [STOPS[first] ?? STOPS[0], STOPS[first + 1] ?? STOPS[0]];
  const mix = (channel: 0 | 1 | 2): number => from[channel] + (to[channel] - from[channel]) * (share - first);
  return [mix(0), mix(1), mix(2), 255];
}
