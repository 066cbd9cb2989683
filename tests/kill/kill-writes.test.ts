import { describe, expect, it, jest } from '@jest/globals';
import { sized } from '../size.ts';
import { killWrites } from './kill-writes.ts';

jest.setTimeout(600_000);

const KILLS = sized(60, 400);

describe('a process that is killed while it writes, again and again at random moments', () => {
  it('leaves each file old or new in full, with its audio, and nothing beside it after the next start', async () => {
    // Kills that hit nothing would prove nothing.
    const enough = { torn: Math.ceil(KILLS / 20), journals: Math.ceil(KILLS / 66) };
    const { torn, journals } = await killWrites(KILLS, 20_261_123, enough);
    expect(torn).toBeGreaterThanOrEqual(enough.torn);
    expect(journals).toBeGreaterThanOrEqual(enough.journals);
  });
});
