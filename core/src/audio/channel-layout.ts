/** Speaker positions of WAVE_FORMAT_EXTENSIBLE (Microsoft, “Multiple channel audio data and WAVE files”), in the order of their bits. */
const SPEAKERS = ['L', 'R', 'C', 'LFE', 'Lb', 'Rb', 'Lc', 'Rc', 'Cs', 'Ls', 'Rs'] as const;
/** Of a channel: its speaker, or '?' where nobody says. */
export type Speaker = (typeof SPEAKERS)[number] | '?';

interface Layout {
  name: string;
  speakers: readonly Speaker[];
}

const LAYOUTS: readonly Layout[] = [
  { name: 'mono', speakers: ['C'] },
  { name: 'stereo', speakers: ['L', 'R'] },
  { name: 'LCR', speakers: ['L', 'R', 'C'] },
  { name: 'quad', speakers: ['L', 'R', 'Ls', 'Rs'] },
  { name: '5.0', speakers: ['L', 'R', 'C', 'Ls', 'Rs'] },
  { name: '5.1', speakers: ['L', 'R', 'C', 'LFE', 'Ls', 'Rs'] },
  { name: '7.1', speakers: ['L', 'R', 'C', 'LFE', 'Lb', 'Rb', 'Ls', 'Rs'] },
];

/** What a file says of its channels. */
export interface ChannelFacts {
  channels: number;
  /** Speaker positions of WAVE_FORMAT_EXTENSIBLE. */
  channelMask?: number | undefined;
  /** The channels are a sound field, not speakers. */
  isAmbisonic?: boolean | undefined;
}

/** The orders of ambisonics: (n + 1)² channels carry a full sphere of order n. */
const ORDERS = ['0th', '1st', '2nd', '3rd', '4th', '5th', '6th', '7th'];

/**
 * The layout of a file's channels: ambisonic where the file says so, else by its speaker mask, else by the usual order of that many channels
 * (common practice). Backs without sides are the surrounds of quad, 5.0 and 5.1. The name is `N channels` where no layout fits, and the
 * speakers are '?' then.
 */
export function channelLayout({ channels, channelMask, isAmbisonic = false }: ChannelFacts): Layout {
  const unknown = { name: `${channels} channels`, speakers: Array<Speaker>(channels).fill('?') };
  if (isAmbisonic) {
    const order = ORDERS[Math.sqrt(channels) - 1];
    return { ...unknown, name: order === undefined ? `ambisonic, ${channels} channels` : `ambisonic, ${order} order` };
  }
  const stated = channelMask === undefined ? [] : SPEAKERS.filter((_, bit) => channelMask & (1 << bit));
  const usual = LAYOUTS.find(({ speakers }) => speakers.length === channels);
  if (stated.length !== channels) return usual ?? unknown;
  const hasSides = stated.includes('Ls');
  const speakers = stated.map((speaker) => {
    if (hasSides) return speaker;
    return speaker === 'Lb' ? 'Ls' : speaker === 'Rb' ? 'Rs' : speaker;
  });
  if (channels === 1) return { name: 'mono', speakers };
  const named = LAYOUTS.find((layout) => layout.speakers.join() === speakers.join());
  return named ?? { name: unknown.name, speakers };
}

/**
 * The weight of a speaker in loudness: ITU-R BS.1770-4 table 4 (1.41 from 60° to 120° to either side, so of Ls and Rs but not of the backs of
 * 7.1), 0 for LFE.
 */
export function loudnessWeight(speaker: Speaker): number {
  if (speaker === 'LFE') return 0;
  return speaker === 'Ls' || speaker === 'Rs' ? 1.41 : 1;
}
