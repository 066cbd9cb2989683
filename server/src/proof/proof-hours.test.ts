import { expect, it } from '@jest/globals';
import { isWithinHours } from './proof-hours.ts';

const at = (hour: number): Date => new Date(2026, 10, 30, hour, 30);
const hoursOf = (fromHour: number, toHour: number): number[] =>
  Array.from({ length: 24 }, (_, hour) => hour).filter((hour) => isWithinHours({ fromHour, toHour }, at(hour)));

it('lies within hours of a day, over midnight, or at any time', () => {
  expect(hoursOf(1, 4)).toEqual([1, 2, 3]);
  expect(hoursOf(22, 2)).toEqual([0, 1, 22, 23]);
  expect(hoursOf(5, 5)).toHaveLength(24);
});
