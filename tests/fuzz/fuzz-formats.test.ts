import { describe, expect, it, jest } from '@jest/globals';
import { sized } from '../size.ts';
import { fuzzFormats } from './fuzz-formats.ts';

jest.setTimeout(300_000);

const FILES = sized(2000, 50_000);

describe('damaged files of every container', () => {
  it('give a result or an error of ours, and are never harmed by writing', async () => {
    const { readable, written } = await fuzzFormats(FILES, 20_261_123);
    expect(readable).toBeGreaterThan(FILES / 5);
    expect(written).toBeGreaterThan(FILES / 17);
  });
});
