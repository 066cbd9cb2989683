import { describe, expect, it } from '@jest/globals';
import { partWithEdge } from './marked-part.ts';

describe('marking a part of a sound at the play line', () => {
  it('begins with the whole sound', () => {
    expect(partWithEdge('from', 300, undefined, 1000)).toEqual({ from: 300, to: 1000 });
    expect(partWithEdge('to', 300, undefined, 1000)).toEqual({ from: 0, to: 300 });
  });

  it('moves one edge, and leaves the other', () => {
    expect(partWithEdge('from', 250, { from: 100, to: 500 }, 1000)).toEqual({ from: 250, to: 500 });
    expect(partWithEdge('to', 700, { from: 100, to: 500 }, 1000)).toEqual({ from: 100, to: 700 });
  });

  it('lets go of the other edge that would lie on the wrong side', () => {
    expect(partWithEdge('from', 600, { from: 100, to: 500 }, 1000)).toEqual({ from: 600, to: 1000 });
    expect(partWithEdge('from', 500, { from: 100, to: 500 }, 1000)).toEqual({ from: 500, to: 1000 });
    expect(partWithEdge('to', 50, { from: 100, to: 500 }, 1000)).toEqual({ from: 0, to: 50 });
  });

  it('is nothing where nothing is left', () => {
    expect(partWithEdge('from', 1000, undefined, 1000)).toBeUndefined();
    expect(partWithEdge('to', 0, { from: 100, to: 500 }, 1000)).toBeUndefined();
  });
});
