import { describe, expect, it, jest } from '@jest/globals';
import { fuzzFormats } from './fuzz-formats.ts';

jest.setTimeout(300_000);

describe('damaged files of every container', () => {
  it('give a result or an error of ours, and are never harmed by writing', async () => {
    const { readable, written } = await fuzzFormats(5000, 20_261_123);
    expect(readable).toBeGreaterThan(1000);
    expect(written).toBeGreaterThan(300);
  });
});
