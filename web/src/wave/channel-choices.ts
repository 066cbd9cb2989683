import { channelLayout } from '@flagstone/core/audio/channel-layout';
import type { ChannelChoice } from '@flagstone/core/audio/channel-mix';
import type { SoundRow } from '@flagstone/contract/record';

const SPEAKER_NAMES: Record<string, string> = {
  L: 'Left',
  R: 'Right',
  C: 'Centre',
  LFE: 'LFE',
  Ls: 'Left surround',
  Rs: 'Right surround',
  Lb: 'Left back',
  Rb: 'Right back',
};

/** What can be heard of a sound's channels, in words. */
export function channelChoices({ facts }: SoundRow): { value: ChannelChoice; label: string }[] {
  const { channels, trackNames } = facts;
  if (channels === 1) return [{ value: 'all', label: 'The one channel' }];
  const { speakers } = channelLayout({ channels });
  const single = speakers.map((speaker, index) => ({
    value: `channel:${index + 1}` as const,
    label: `${trackNames[index] || SPEAKER_NAMES[speaker] || `Channel ${index + 1}`} alone`,
  }));
  const combined: { value: ChannelChoice; label: string }[] = [
    { value: 'all', label: channels > 2 ? 'All, folded to a pair' : 'Both channels' },
    { value: 'swapped', label: 'Left and right swapped' },
    { value: 'mono', label: 'Mono sum' },
    { value: 'mid', label: 'Mid: what both share' },
    { value: 'side', label: 'Side: what differs' },
  ];
  return [...combined, ...single];
}
