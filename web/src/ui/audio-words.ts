/** What each of the forms that sounds are made in is called. */
export const CONTAINER_WORDS = {
  asIs: 'As they are',
  WAV: 'WAV',
  AIFF: 'AIFF',
  FLAC: 'FLAC',
  MP3: 'MP3, 320 kbit/s',
  Ogg: 'Ogg Vorbis',
} as const;
export const DEPTH_WORDS = {
  asIs: 'As they are',
  '16': '16 bits',
  '24': '24 bits',
  '32 float': '32 bits, float',
} as const;
export const CHANNEL_WORDS = {
  asIs: 'As they are',
  split: 'A file for each channel',
  stereo: 'Stereo, folded',
  mono: 'Mono, folded',
} as const;
/** Rates that are asked for, Hz; 0 for as they are. */
export const RATES = [0, 44_100, 48_000, 88_200, 96_000, 192_000].map((value) => ({
  value,
  label: value === 0 ? 'As they are' : `${value / 1000} kHz`,
}));

/** Choices of a list in their order, for a select. */
export function choicesOf<Value extends string>(
  words: Readonly<Record<Value, string>>,
): { value: Value; label: string }[] {
  return (Object.keys(words) as Value[]).map((value) => ({ value, label: words[value] }));
}
