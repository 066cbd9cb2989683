import { AppError } from '@flagstone/core/errors';
import type { Response } from 'express';

/** Answers of hundreds of megabytes stand in memory until they are read: so many at once, and so many more that wait. */
const AT_ONCE = 3;
const WAITING = 24;
/** Whoever reads nothing for so long is given up. */
const IDLE_MS = 30_000;

/** Lets few answers that are held in memory as a whole be made and sent at a time; whoever does not read them makes room for others after a while. */
export class BigAnswers {
  private underWay = 0;
  private readonly waiting: (() => void)[] = [];

  /** Resolves when an answer may be made; it counts until its connection is closed. Throws UNAVAILABLE when too many wait. */
  async enter(response: Response): Promise<void> {
    if (this.waiting.length >= WAITING)
      throw new AppError('UNAVAILABLE', 'Too many long answers are being made just now.');
    if (this.underWay >= AT_ONCE) await this.turn(response);
    this.underWay += 1;
    response.once('close', () => {
      this.underWay -= 1;
      this.waiting.shift()?.();
    });
    if (response.destroyed) throw new AppError('UNAVAILABLE', 'Nobody waits for the answer any more.');
    response.setTimeout(IDLE_MS, () => response.destroy());
  }

  private turn(response: Response): Promise<void> {
    return new Promise((resolve) => {
      this.waiting.push(resolve);
      // Whoever goes gives no turn away: the next one gets it.
      response.once('close', () => {
        const at = this.waiting.indexOf(resolve);
        if (at >= 0) this.waiting.splice(at, 1);
      });
    });
  }
}
