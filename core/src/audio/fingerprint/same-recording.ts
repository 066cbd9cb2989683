import { variantsOf, type Fingerprint } from './fingerprint.ts';

/**
 * Of the bits that are set in either, the share up to which two are of the same recording; those of others differ in two thirds. This and the rest is our own, chosen by the demo's
 * sounds as ffmpeg converts them: docs/keeping-in-step.md.
 */
const MOST_DIFFERENT = 0.45;
/** Tones that stand, and single knocks, have bits that hardly turn, which says less: there it has to be less. */
const MOST_DIFFERENT_STILL = 0.36;
const FEW_TURNS = 400;
/** Up to this, with as many turns, nobody needs to listen: lossless conversions, and most lossy ones. */
const CERTAIN = 0.2;
/** The share of what is heard in both that has to lie over each other. */
const LEAST_SHARED = 0.7;
/** The same recording is heard for as long, but for what a codec adds at its end, seconds and as a share. */
const SAME_SECONDS = 0.03;
const SAME_SHARE = 0.03;
/** And has its power in the same place, as a share: two notes of the same horn have the same bits. */
const SAME_CENTRE = 0.045;
/** Shorter than this nothing is told: 16 words, 0.06 s of sound. */
const FEWEST_WORDS = 16;
/** Shifts that are tried: none, since both begin where they are heard first, and those for which most words speak; each with one to either side. */
const MOST_SHIFTS = 3;
/** A word that is said again and again tells nothing of where. */
const MOST_PLACES = 8;

export interface SameRecording {
  /** Of the bits that are set in either, the share that differs: 0 to 0.45. */
  difference: number;
  isCertain: boolean;
}

/** Between which lengths and centres everything lies that may be the same recording: the rest need not be compared. */
export function rangesOf({ heardSeconds, centreHz }: Pick<Fingerprint, 'heardSeconds' | 'centreHz'>): {
  heardSeconds: [from: number, to: number];
  centreHz: [from: number, to: number];
} {
  return {
    heardSeconds: [
      Math.min(heardSeconds - SAME_SECONDS, heardSeconds * (1 - SAME_SHARE)),
      Math.max(heardSeconds + SAME_SECONDS, heardSeconds / (1 - SAME_SHARE)),
    ],
    centreHz: [centreHz * (1 - SAME_CENTRE), centreHz / (1 - SAME_CENTRE)],
  };
}

/** How two fingerprints are of the same recording; null when they are not, or are too short to tell. */
export function sameRecording(one: Fingerprint, other: Fingerprint): SameRecording | null {
  const { heardSeconds, centreHz } = rangesOf(one);
  const isWithin = (value: number, [from, to]: [number, number]): boolean => value >= from && value <= to;
  if (!isWithin(other.heardSeconds, heardSeconds) || !isWithin(other.centreHz, centreHz)) return null;
  const heard = Math.max(heardWords(one.words), heardWords(other.words));
  // Most begin where they are heard first: then nobody has to look for the shift.
  const best = bestOf(one, other, [0, -1, 1], heard);
  return best?.isCertain ? best : bestOf(one, other, shiftsOf(one, other), heard);
}

function bestOf(one: Fingerprint, other: Fingerprint, shifts: Iterable<number>, heard: number): SameRecording | null {
  let best: SameRecording | null = null;
  for (const shift of shifts) {
    const same = sameAt(one.words, other.words, shift, heard);
    if (same && same.difference < (best?.difference ?? 1)) best = same;
  }
  return best;
}

function heardWords(words: Uint32Array): number {
  let count = 0;
  for (const word of words) if (word !== 0) count += 1;
  return count;
}

/** How much later the other one may be, in words: where the same words stand, at best those most certain. */
function shiftsOf(one: Fingerprint, other: Fingerprint): Set<number> {
  const places = new Map<number, number[]>();
  other.words.forEach((word, place) => {
    if (word === 0) return;
    const known = places.get(word);
    if (!known) places.set(word, [place]);
    else if (known.length < MOST_PLACES) known.push(place);
  });
  const votes = new Map<number, number>();
  const vote = (word: number, place: number): void => {
    for (const at of places.get(word) ?? []) votes.set(at - place, (votes.get(at - place) ?? 0) + 1);
  };
  one.words.forEach(vote);
  for (const { place, words } of variantsOf(one)) for (const word of words.slice(1)) vote(word, place);
  const best = [...votes].sort(([, a], [, b]) => b - a).slice(0, MOST_SHIFTS);
  return new Set([0, ...best.map(([shift]) => shift)].flatMap((shift) => [shift - 1, shift, shift + 1]));
}

/** How they are the same with the other one so many words later. Silence in both says nothing. */
function sameAt(one: Uint32Array, other: Uint32Array, shift: number, heard: number): SameRecording | null {
  const to = Math.min(one.length, other.length - shift);
  let [compared, set, different, turns] = [0, 0, 0, 0];
  let [before, beforeIt] = [0, 0];
  for (let place = Math.max(0, -shift); place < to; place += 1) {
    const [a, b] = [one[place] as number, other[place + shift] as number];
    if ((a | b) === 0) continue;
    compared += 1;
    set += bitsOf(a | b);
    different += bitsOf(a ^ b);
    turns += bitsOf(a ^ before) + bitsOf(b ^ beforeIt);
    [before, beforeIt] = [a, b];
  }
  if (compared < Math.max(FEWEST_WORDS, LEAST_SHARED * heard)) return null;
  const difference = different / set;
  const isStill = turns < FEW_TURNS;
  if (difference > (isStill ? MOST_DIFFERENT_STILL : MOST_DIFFERENT)) return null;
  return { difference, isCertain: !isStill && difference <= CERTAIN };
}

/** Bits that are set (Warren, “Hacker's Delight”, 5-1). */
function bitsOf(word: number): number {
  let bits = word - ((word >>> 1) & 0x55555555);
  bits = (bits & 0x33333333) + ((bits >>> 2) & 0x33333333);
  return Math.imul((bits + (bits >>> 4)) & 0x0f0f0f0f, 0x01010101) >>> 24;
}
