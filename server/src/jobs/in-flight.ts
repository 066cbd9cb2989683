/** Bounded concurrency with backpressure. What any of the work throws is thrown to whoever adds or waits next, and never lost. */
export class InFlight {
  private readonly most: number;
  private readonly running = new Set<Promise<void>>();
  private failure: { error: unknown } | undefined;

  constructor(most: number) {
    this.most = most;
  }

  get isEmpty(): boolean {
    return this.running.size === 0;
  }

  /** Adds work and waits until there is room for more. */
  async add(work: Promise<void>): Promise<void> {
    const one: Promise<void> = work
      .catch((error: unknown) => void (this.failure ??= { error }))
      .finally(() => this.running.delete(one));
    this.running.add(one);
    while (this.running.size >= this.most && !this.failure) await Promise.race(this.running);
    this.throwFailure();
  }

  /** Waits for everything that runs. */
  async done(): Promise<void> {
    await this.settled();
    this.throwFailure();
  }

  /** Waits for everything that runs, whatever becomes of it. */
  async settled(): Promise<void> {
    await Promise.all(this.running);
  }

  private throwFailure(): void {
    if (this.failure) throw this.failure.error;
  }
}
