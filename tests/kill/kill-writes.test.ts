import { describe, expect, it, jest } from '@jest/globals';
import { killWrites } from './kill-writes.ts';

jest.setTimeout(600_000);

describe('a process that is killed while it writes, 200 times at random moments', () => {
  it('leaves each file old or new in full, with its audio, and nothing beside it after the next start', async () => {
    const { torn, journals } = await killWrites(200, 20_261_123);
    // Kills that hit nothing would prove nothing.
    expect(torn).toBeGreaterThan(10);
    expect(journals).toBeGreaterThan(3);
  });
});
