import { describe, expect, it } from '@jest/globals';
import { InFlight } from './in-flight.ts';

/** Work that ends when told. */
function held() {
  let resolve = (): void => undefined;
  let reject = (_error: Error): void => undefined;
  const promise = new Promise<void>((...ends) => ([resolve, reject] = ends));
  return { promise, resolve: () => resolve(), reject: (error: Error) => reject(error) };
}
const turn = (): Promise<void> => new Promise((resolve) => setImmediate(resolve));

describe('work in flight', () => {
  it('waits for room, and for the rest at the end', async () => {
    const flight = new InFlight(2);
    const [first, second] = [held(), held()];
    await flight.add(first.promise);
    let hasRoom = false;
    const added = flight.add(second.promise).then(() => (hasRoom = true));
    await turn();
    expect(hasRoom).toBe(false);
    second.resolve();
    await added;
    expect(flight.isEmpty).toBe(false);
    first.resolve();
    await flight.done();
    expect(flight.isEmpty).toBe(true);
  });

  it('throws what was thrown while nobody waited', async () => {
    const flight = new InFlight(3);
    const failing = held();
    await flight.add(failing.promise);
    failing.reject(new Error('the disk is full'));
    await turn();
    expect(flight.isEmpty).toBe(true);
    await expect(flight.add(Promise.resolve())).rejects.toThrow('the disk is full');
    await expect(flight.done()).rejects.toThrow('the disk is full');
    await flight.settled();
  });

  it('throws at once to whoever waits for room', async () => {
    const flight = new InFlight(2);
    const [slow, failing] = [held(), held()];
    await flight.add(slow.promise);
    const added = flight.add(failing.promise);
    failing.reject(new Error('cancelled'));
    await expect(added).rejects.toThrow('cancelled');
    slow.resolve();
    await flight.settled();
  });
});
