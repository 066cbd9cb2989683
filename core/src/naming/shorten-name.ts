import {
  BLOCK_LABELS,
  joinBlocks,
  lengthProblem,
  type BlockName,
  type NameBlocks,
  type NameProblem,
} from './name-blocks.ts';

/** What to do with a name that is longer than file systems hold: nothing, leave optional blocks out, or cut the FXName at a word. */
export const SHORTENINGS = ['no', 'optional', 'fxName'] as const;
export type Shortening = (typeof SHORTENINGS)[number];

/** Optional blocks in the order in which they are given up. */
const GIVEN_UP: readonly BlockName[] = ['userData', 'userCategory', 'vendorCategory'];

/** The blocks of a name made to fit, with what was done; undefined when it fits already, or cannot be made to in this way. */
export function shortenedBlocks(
  blocks: NameBlocks,
  extension: string,
  how: Shortening,
): { blocks: NameBlocks; problem: NameProblem } | undefined {
  const fits = (tried: NameBlocks): boolean => lengthProblem(joinBlocks(tried) + extension) === undefined;
  if (how === 'no' || fits(blocks)) return undefined;
  if (how === 'fxName') {
    const text = longestThatFits(blocks.fxName ?? '', (fxName) => fits({ ...blocks, fxName }));
    return text === undefined
      ? undefined
      : {
          blocks: { ...blocks, fxName: text },
          problem: shortened('fxName', `The FXName ends with “${lastWord(text)}”`),
        };
  }
  const left = { ...blocks };
  const out: BlockName[] = [];
  for (const block of GIVEN_UP) {
    if (!left[block]) continue;
    delete left[block];
    out.push(block);
    if (fits(left)) {
      const labels = out.map((each) => BLOCK_LABELS[each]).join(', ');
      return { blocks: left, problem: shortened(out[0] ?? 'userData', `${labels} left out`) };
    }
  }
  return undefined;
}

/** A name that is not laid in blocks, cut at a word to fit; undefined when not even its first word does. */
export function shortenedText(base: string, extension: string): { text: string; problem: NameProblem } | undefined {
  const text = longestThatFits(base, (tried) => lengthProblem(tried + extension) === undefined);
  if (text === undefined) return undefined;
  const { code, severity, message } = shortened('fxName', `The name ends with “${lastWord(text)}”`);
  return { text, problem: { code, severity, message } };
}

/** The most words from the beginning with which a text fits. */
function longestThatFits(text: string, fits: (tried: string) => boolean): string | undefined {
  const words = text.split(' ');
  // Each word makes it longer, so that the number of words can be halved in on.
  let [fitting, tooMany] = [0, words.length];
  const upTo = (count: number): string =>
    words
      .slice(0, count)
      .join(' ')
      .replace(/[\s,.;-]+$/, '');
  while (tooMany - fitting > 1) {
    const middle = Math.floor((fitting + tooMany) / 2);
    if (fits(upTo(middle))) fitting = middle;
    else tooMany = middle;
  }
  return fitting === 0 ? undefined : upTo(fitting);
}

function lastWord(text: string): string {
  return text.split(' ').at(-1) ?? '';
}

function shortened(block: BlockName, what: string): NameProblem {
  return { code: 'NAME_SHORTENED', severity: 'notice', block, message: `${what}: the whole name does not fit.` };
}
