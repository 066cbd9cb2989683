import type { Span } from '../wave/wave-data.ts';

/**
 * The part of a sound after one of its edges was put at a place, in samples: the other edge stays where it is, or goes to that end of the sound when it would lie before the
 * start or after the end. Undefined when nothing is left between the two.
 */
export function partWithEdge(
  edge: 'from' | 'to',
  at: number,
  part: Span | undefined,
  frames: number,
): Span | undefined {
  const { from, to } = part ?? { from: 0, to: frames };
  const next = edge === 'from' ? { from: at, to: at < to ? to : frames } : { from: at > from ? from : 0, to: at };
  return next.to > next.from ? next : undefined;
}
