import { expect, it } from '@jest/globals';
import { answersInTime } from './drives.ts';

it('takes a drive that says nothing for away, and looks at it no second time until it answers', async () => {
  let answer: (isHere: boolean) => void = () => undefined;
  let looks = 0;
  const look = (): Promise<boolean> => {
    looks += 1;
    return new Promise((resolve) => (answer = resolve));
  };
  expect(await answersInTime('dead mount', look)).toBe(false);
  const again = Array.from({ length: 50 }, () => answersInTime('dead mount', look));
  expect(await Promise.all(again)).toEqual(again.map(() => false));
  expect(looks).toBe(1);
  answer(true);
  await new Promise(setImmediate);
  expect(await answersInTime('dead mount', () => Promise.resolve(true))).toBe(true);
});
