import { expect, it } from '@jest/globals';
import { z } from 'zod';
import { PAGE_ID, uuidFrom } from './page-id.ts';

it('is a UUID of version 4, from whatever bytes', () => {
  for (const byte of [0, 255, 90])
    expect(z.uuidv4().safeParse(uuidFrom(new Uint8Array(16).fill(byte))).success).toBe(true);
  expect(z.uuidv4().safeParse(PAGE_ID).success).toBe(true);
});
