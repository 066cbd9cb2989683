import { EventEmitter } from 'node:events';
import { describe, expect, it } from '@jest/globals';
import type { Response } from 'express';
import { BigAnswers } from './big-answers.ts';

/** As much of an answer as is asked for here. */
class Answer extends EventEmitter {
  destroyed = false;

  close(): void {
    this.destroyed = true;
    this.emit('close');
  }
}
const enter = (big: BigAnswers, answer: Answer): Promise<void> => big.enter(answer as unknown as Response);
const settled = (work: Promise<void>): Promise<string> =>
  Promise.race([
    work.then(
      () => 'in',
      () => 'refused',
    ),
    new Promise<string>((resolve) => setImmediate(() => setImmediate(() => resolve('waits')))),
  ]);

describe('answers that stand in memory as a whole', () => {
  it('are three at a time; the next one gets the turn of the first that ends', async () => {
    const big = new BigAnswers();
    const answers = Array.from({ length: 5 }, () => new Answer());
    const turns = answers.map((answer) => enter(big, answer));
    for (const turn of turns) void turn.catch(() => undefined);
    expect(await Promise.all(turns.map(settled))).toEqual(['in', 'in', 'in', 'waits', 'waits']);
    answers[0]?.close();
    expect(await settled(turns[3] as Promise<void>)).toBe('in');
    expect(await settled(turns[4] as Promise<void>)).toBe('waits');
  });

  it('lose no turn to whoever leaves, waiting or just as its turn came', async () => {
    const big = new BigAnswers();
    const [one, two, three, leaves, last] = Array.from({ length: 5 }, () => new Answer()) as [
      Answer,
      Answer,
      Answer,
      Answer,
      Answer,
    ];
    await Promise.all([one, two, three].map((answer) => enter(big, answer)));
    const [gone, stays] = [enter(big, leaves), enter(big, last)];
    gone.catch(() => undefined);
    one.close();
    leaves.close();
    expect(await settled(gone)).toBe('refused');
    expect(await settled(stays)).toBe('in');
    for (const answer of [two, three, last]) answer.close();
    expect(await Promise.all([1, 2, 3].map(() => settled(enter(big, new Answer()))))).toEqual(['in', 'in', 'in']);
  });

  it('are refused when too many wait', async () => {
    const big = new BigAnswers();
    const many = Array.from({ length: 40 }, () => settled(enter(big, new Answer())));
    expect((await Promise.all(many)).filter((how) => how === 'refused')).toHaveLength(40 - 3 - 24);
  });
});
