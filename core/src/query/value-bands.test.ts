import { describe, expect, it } from '@jest/globals';
import { parseQuery } from './search-query.ts';
import {
  bandInSigns,
  bandInWords,
  bandsBetween,
  bandTerm,
  LENGTH_EDGES_SECONDS,
  LOUDNESS_EDGES_LUFS,
} from './value-bands.ts';

describe('bands of values', () => {
  it('follow each other without a gap, open at both ends', () => {
    const bands = bandsBetween([1, 3]);
    expect(bands).toEqual([
      { from: undefined, to: 1 },
      { from: 1, to: 3 },
      { from: 3, to: undefined },
    ]);
    expect(bands.map(bandTerm)).toEqual(['<1', '1..3', '>=3']);
    expect(bands.map((band) => bandInWords(band, 's'))).toEqual(['below 1 s', '1 to 3 s', 'from 3 s']);
    expect(bands.map((band) => bandInSigns(band, 's'))).toEqual(['< 1 s', '1 to 3 s', '≥ 3 s']);
    expect(bandInWords({ from: -40, to: -30 }, 'LUFS')).toBe('−40 to −30 LUFS');
  });

  it('are what the search line reads', () => {
    for (const [field, edges] of [
      ['length', LENGTH_EDGES_SECONDS],
      ['loudness', LOUDNESS_EDGES_LUFS],
    ] as const)
      for (const band of bandsBetween(edges)) {
        const { query, faults } = parseQuery(`${field}:${bandTerm(band)}`);
        expect([bandTerm(band), faults]).toEqual([bandTerm(band), []]);
        const [part] = query.kind === 'all' ? query.parts : [];
        expect(part).toMatchObject({ kind: 'field', test: { kind: 'range' } });
      }
  });
});
