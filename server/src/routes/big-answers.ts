import { AppError } from '@flagstone/core/errors';
import type { Response } from 'express';

/** Backpressure for answers of hundreds of megabytes, which are buffered whole: so many in progress, and so many more in the queue. */
const AT_ONCE = 3;
const WAITING = 24;
/** Whoever reads nothing of an answer for so long is given up; making it may take as long as it takes. */
const IDLE_MS = 30_000;

/** Ends an answer that is being sent and that nobody reads. */
export function giveUpWhenIdle(response: Response): void {
  response.setTimeout(IDLE_MS, () => response.destroy());
}

/** Lets few answers that are held in memory as a whole be made and sent at a time; whoever does not read them makes room for others after a while. */
export class BigAnswers {
  private underWay = 0;
  private readonly waiting: { start: () => void }[] = [];

  /** Resolves when an answer may be made; it counts until its connection is closed. Throws UNAVAILABLE when too many wait. */
  async enter(response: Response): Promise<void> {
    if (this.waiting.length >= WAITING)
      throw new AppError('UNAVAILABLE', 'Too many long answers are being made just now.');
    if (this.underWay >= AT_ONCE) await this.turn(response);
    if (response.destroyed) {
      // Its turn came just as it went: the next one gets it.
      this.waiting.shift()?.start();
      throw nobodyWaits();
    }
    this.underWay += 1;
    response.once('close', () => {
      this.underWay -= 1;
      this.waiting.shift()?.start();
    });
  }

  private turn(response: Response): Promise<void> {
    return new Promise((resolve, reject) => {
      const turn = { start: resolve };
      this.waiting.push(turn);
      response.once('close', () => {
        const at = this.waiting.indexOf(turn);
        if (at >= 0) this.waiting.splice(at, 1);
        reject(nobodyWaits());
      });
    });
  }
}

function nobodyWaits(): AppError {
  return new AppError('UNAVAILABLE', 'Nobody waits for the answer any more.');
}
