import type { Api } from '@flagstone/contract/api';
import type { Server } from './server.ts';

type Options = { params?: Record<string, unknown>; query?: Record<string, unknown>; body?: unknown };

/** For tests: a server that answers by the name of the endpoint, and what was asked of it, told by it and shown as an error. */
export class FakeServer implements Server {
  readonly asked: [name: string, options: Options][] = [];
  readonly told: string[] = [];
  readonly errors: string[] = [];
  private readonly answers: Partial<Record<keyof Api, (options: Options) => unknown>>;

  constructor(answers: Partial<Record<keyof Api, (options: Options) => unknown>>) {
    this.answers = answers;
  }

  readonly call = ((name: keyof Api, options: Options = {}) =>
    new Promise((resolve) => {
      this.asked.push([name, options]);
      const answer = this.answers[name];
      if (!answer) throw new Error(`nobody answers ${name}`);
      resolve(answer(options));
    })) as unknown as Server['call'];

  readonly attempt = async <Result>(work: () => Promise<Result>): Promise<Result | undefined> => {
    try {
      return await work();
    } catch (error) {
      this.errors.push((error as Error).message);
      return undefined;
    }
  };

  readonly tell = (title: string): void => void this.told.push(title);

  /** How often an endpoint was asked. */
  times(name: keyof Api): number {
    return this.asked.filter(([each]) => each === name).length;
  }
}

/** For tests: answers that are held back until they are let go, one after the other. */
export class HeldBack<Value> {
  private readonly waiting: (() => void)[] = [];
  private readonly make: () => Value;

  constructor(make: () => Value) {
    this.make = make;
  }

  readonly answer = (): Promise<Value> => {
    const value = this.make();
    return new Promise((resolve) => this.waiting.push(() => resolve(value)));
  };

  get count(): number {
    return this.waiting.length;
  }

  /** Lets an answer go, the first one that is held back unless another is named. */
  release(at = 0): void {
    this.waiting.splice(at, 1)[0]?.();
  }
}

/** For tests: lets everything that follows from answers and changes happen. */
export const settled = (): Promise<void> => new Promise((resolve) => setTimeout(resolve));
