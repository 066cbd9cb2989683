import os from 'node:os';
import { expect, it } from '@jest/globals';
import { refuseWhenFull } from './free-space.ts';

it('lets files in for which there is room, and refuses those for which no disk has any, with both sizes', async () => {
  await refuseWhenFull(os.tmpdir(), 1);
  await expect(refuseWhenFull(os.tmpdir(), 2 ** 70)).rejects.toMatchObject({
    code: 'DISK_FULL',
    message: expect.stringMatching(/ has [\d.]+ GB free; the files have 1180591620717\.4 GB\.$/),
  });
});
