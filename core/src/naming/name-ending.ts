import { legalText, splitExtension } from './name-blocks.ts';

/** What stands at the end of names, before the extension, that no field says. */
export interface NameEnding {
  /** A file that holds one channel of several keeps its mark: `.L`. */
  channel: boolean;
  /** What names of mono files end in, other than those; empty for nothing. */
  mono: string;
}

export const NO_ENDING: NameEnding = { channel: false, mono: '' };

/** Marks of the channels of sounds that were split into files (common practice): speakers, and the middle and side of a pair. */
const CHANNEL_MARKS = [
  'L',
  'R',
  'C',
  'LFE',
  'Ls',
  'Rs',
  'Lss',
  'Rss',
  'Lsr',
  'Rsr',
  'Lrs',
  'Rrs',
  'Lc',
  'Rc',
  'Cs',
  'M',
  'S',
];

/** The mark of the channel that a file holds, by what its name ends in after a dot, a hyphen or an underscore, as such marks are written; undefined for none. */
export function channelMark(fileName: string): string | undefined {
  const said = /[._-]([a-z]{1,3})$/i.exec(splitExtension(fileName).base)?.[1]?.toLowerCase();
  return said === undefined ? undefined : CHANNEL_MARKS.find((mark) => mark.toLowerCase() === said);
}

/** What the new name of a file ends in before its extension; empty for nothing. */
export function endingOf(
  ending: NameEnding | undefined,
  { name, channels }: { name: string; channels: number },
): string {
  if (!ending || channels !== 1) return '';
  const mark = ending.channel ? channelMark(name) : undefined;
  // With the blank that a name may end in before it.
  return mark === undefined ? legalText(`x${ending.mono}`).slice(1) : `.${mark}`;
}
