import { expect, it } from '@jest/globals';
import { saidMoves, withLikely } from './category-moves.ts';

const rows = [
  { catId: 'KILNOld', records: 3, likely: 'KILNRoar' },
  { catId: 'LOOMOld', records: 2, likely: 'LOOMHand' },
  { catId: 'WEIROld', records: 1, likely: null },
];

it('takes the likeliest category where nobody has said another, and none where none is like it', () => {
  const moves = withLikely({ KILNOld: 'KILNGas', LOOMOld: '' }, rows);
  expect(moves).toEqual({ KILNOld: 'KILNGas', LOOMOld: 'LOOMHand', WEIROld: '' });
  expect(saidMoves(moves)).toEqual({ KILNOld: 'KILNGas', LOOMOld: 'LOOMHand' });
});
