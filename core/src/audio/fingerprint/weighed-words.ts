import { MOST_ROBUST, MOST_VARIED, packedBits, WORD_BITS, type Fingerprint } from './fingerprint.ts';

const { abs, log2, max } = Math;

/** Bands so far below the strongest of the sound count as silent: lossy codecs leave out, or fill with noise, what lies there. */
const FLOOR = 10 ** (-35 / 10);
/** A bit tells how the difference of two bands changed over so many hops: over one, in windows that overlap by 91 %, it would hardly change. */
const APART = 4;
/** Less is none, log2 of energy: what stays as it is, or is silent, has no bit set, whatever noise lies over it. */
const LEAST_CHANGE = 0.15;
/** A word is as certain as this one of its bits, counted from the weakest: a lossy codec turns the first two now and then. */
const TELLING_BIT = 2;

/** The words of the energies of bands, hop by hop, with what is known of how certain their bits are. */
export function weighedWords(energies: Float64Array, bands: number): Pick<Fingerprint, 'words' | 'robust' | 'weakest'> {
  const hops = energies.length / bands;
  const floor = max(1e-30, energies.reduce((most, energy) => max(most, energy), 0) * FLOOR);
  const levels = Float64Array.from(energies, (energy) => log2(energy + floor));
  const words = new Uint32Array(hops);
  const certainty = new Float64Array(hops);
  const weakBits = new Uint16Array(hops);
  const sizes = new Float64Array(WORD_BITS);
  for (let hop = 0; hop < hops; hop += 1) {
    const now = hop * bands;
    const then = now - APART * bands;
    let word = 0;
    for (let bit = 0; bit < WORD_BITS; bit += 1) {
      const was = then < 0 ? 0 : (levels[then + bit] as number) - (levels[then + bit + 1] as number);
      const change = (levels[now + bit] as number) - (levels[now + bit + 1] as number) - was;
      if (change > LEAST_CHANGE) word |= 1 << bit;
      sizes[bit] = abs(change - LEAST_CHANGE);
    }
    words[hop] = word;
    const weakest = leastThree(sizes);
    weakBits[hop] = packedBits(weakest);
    certainty[hop] = sizes[weakest[TELLING_BIT]] as number;
  }
  const robust = mostCertain(words, certainty);
  return { words, robust, weakest: robust.slice(0, MOST_VARIED).map((place) => weakBits[place] as number) };
}

/** Where the three smallest are, the smallest first. */
function leastThree(sizes: Float64Array): [number, number, number] {
  let [first, second, third] = [0, 0, 0];
  let [least, next, last] = [Infinity, Infinity, Infinity];
  for (let at = 0; at < sizes.length; at += 1) {
    const size = sizes[at] as number;
    if (size >= last) continue;
    if (size < least) {
      [third, last] = [second, next];
      [second, next] = [first, least];
      [first, least] = [at, size];
    } else if (size < next) {
      [third, last] = [second, next];
      [second, next] = [at, size];
    } else [third, last] = [at, size];
  }
  return [first, second, third];
}

/** The places of the most certain words, each word once. One without a bit set, or with all, says too little. */
function mostCertain(words: Uint32Array, certainty: Float64Array): Uint16Array {
  const places = Array.from(words.keys())
    .filter((place) => words[place] !== 0 && words[place] !== 0xffffffff)
    .sort((a, b) => (certainty[b] as number) - (certainty[a] as number));
  const met = new Set<number>();
  const different = places.filter((place) => {
    const word = words[place] as number;
    return !met.has(word) && met.add(word);
  });
  return Uint16Array.from(different.slice(0, MOST_ROBUST));
}
