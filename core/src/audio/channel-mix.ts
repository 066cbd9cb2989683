import type { Speaker } from './channel-layout.ts';

/** What of a sound's channels is heard: all as they are, one (`channel:1`, from 1), or a combination of them. */
export type ChannelChoice = 'all' | 'swapped' | 'mono' | 'mid' | 'side' | `channel:${number}`;

/** Gains from each channel (columns) into each output (rows). */
export type MixMatrix = number[][];

const HALF_POWER = Math.SQRT1_2;

/** ITU-R BS.775-3 table 2: what each speaker gives to the left output of a pair; that of the right is the mirror of it. LFE is left out. */
const FOLD_LEFT: Partial<Record<Speaker, number>> = {
  L: 1,
  C: HALF_POWER,
  Ls: HALF_POWER,
  // Not in the table, treated like its kin (common practice).
  Lb: HALF_POWER,
  Lc: 1,
  Cs: 0.5,
};
const MIRROR: Partial<Record<Speaker, Speaker>> = { R: 'L', Rs: 'Ls', Rb: 'Lb', Rc: 'Lc', C: 'C', Cs: 'Cs' };
/** The same table, down to one. */
const FOLD_MONO: Partial<Record<Speaker, number>> = {
  L: HALF_POWER,
  R: HALF_POWER,
  C: 1,
  Ls: 0.5,
  Rs: 0.5,
  Lb: 0.5,
  Rb: 0.5,
  Lc: HALF_POWER,
  Rc: HALF_POWER,
  Cs: HALF_POWER,
};

/** Gains that bring channels down to a pair of loudspeakers; where no layout is known (ambisonics among them) the first channel goes to both. */
export function foldToStereo(speakers: readonly Speaker[]): MixMatrix {
  if (speakers.length === 1) return [[1], [1]];
  if (speakers.includes('?')) return [firstOf(speakers), firstOf(speakers)];
  return [
    speakers.map((speaker) => FOLD_LEFT[speaker] ?? 0),
    speakers.map((speaker) => FOLD_LEFT[MIRROR[speaker] ?? 'LFE'] ?? 0),
  ];
}

/** Gains that bring channels down to one. Of a pair half of each is taken, so that what is the same in both keeps its level (common practice). */
export function foldToMono(speakers: readonly Speaker[]): MixMatrix {
  if (speakers.length === 1) return [[1]];
  if (speakers.includes('?')) return [firstOf(speakers)];
  if (speakers.length === 2) return [[0.5, 0.5]];
  return [speakers.map((speaker) => FOLD_MONO[speaker] ?? 0)];
}

function firstOf(speakers: readonly Speaker[]): number[] {
  return speakers.map((_, channel) => (channel === 0 ? 1 : 0));
}

/** Gains from the channels of a sound into the left and right output, for what somebody chose to hear. */
export function listeningMatrix(speakers: readonly Speaker[], choice: ChannelChoice): [number[], number[]] {
  const both = (row: number[]): [number[], number[]] => [row, row];
  if (choice.startsWith('channel:')) {
    const wanted = Number(choice.slice('channel:'.length)) - 1;
    return both(speakers.map((_, channel) => (channel === wanted ? 1 : 0)));
  }
  if (choice === 'mono') return both(foldToMono(speakers)[0] ?? []);
  const [left = [], right = []] = foldToStereo(speakers);
  if (choice === 'swapped') return [right, left];
  if (choice === 'mid') return both(left.map((gain, channel) => (gain + (right[channel] ?? 0)) / 2));
  if (choice === 'side') return both(left.map((gain, channel) => (gain - (right[channel] ?? 0)) / 2));
  return [left, right];
}

/** Planar samples through a matrix. */
export function mixed(planar: readonly Float32Array[], matrix: MixMatrix): Float32Array[] {
  const frames = planar[0]?.length ?? 0;
  return matrix.map((row) => {
    const output = new Float32Array(frames);
    row.forEach((gain, channel) => {
      const input = planar[channel];
      if (gain === 0 || !input) return;
      for (let frame = 0; frame < frames; frame += 1)
        output[frame] = (output[frame] as number) + gain * (input[frame] as number);
    });
    return output;
  });
}
