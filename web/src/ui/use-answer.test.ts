import { afterEach, describe, expect, it } from '@jest/globals';
import { effectScope, ref, type EffectScope } from 'vue';
import { FakeServer, HeldBack, settled } from './fake-server.ts';
import { useAnswer } from './use-answer.ts';

const scopes: EffectScope[] = [];
afterEach(() => scopes.splice(0).forEach((scope) => scope.stop()));

/** A view of one subject whose answers are held back. */
async function view() {
  const subject = ref(1);
  const revision = ref(1);
  const held = new HeldBack(() => `about ${subject.value} at ${revision.value}`);
  const { attempt, errors } = new FakeServer({});
  const scope = effectScope();
  scopes.push(scope);
  const { answer } = scope.run(() =>
    useAnswer(() => subject.value, held.answer, { dependsOn: () => revision.value, attempt }),
  )!;
  await settled();
  return { subject, revision, held, answer, errors };
}

describe('an answer of the server', () => {
  it('is not there before it has come', async () => {
    const { held, answer } = await view();
    expect(answer.value).toBeUndefined();
    held.release();
    await settled();
    expect(answer.value).toBe('about 1 at 1');
  });

  it('about one subject is never taken for another', async () => {
    const { subject, held, answer } = await view();
    held.release();
    await settled();
    subject.value = 2;
    expect(answer.value).toBeUndefined();
    await settled();
    expect(answer.value).toBeUndefined();
    held.release();
    await settled();
    expect(answer.value).toBe('about 2 at 1');
  });

  it('that comes late does not replace a later one', async () => {
    const { subject, held, answer } = await view();
    subject.value = 2;
    await settled();
    subject.value = 1;
    await settled();
    held.release(2);
    await settled();
    held.release(1);
    held.release(0);
    await settled();
    expect(answer.value).toBe('about 1 at 1');
  });

  it('stays while the same subject is asked about again', async () => {
    const { revision, held, answer } = await view();
    held.release();
    await settled();
    revision.value = 2;
    await settled();
    expect(answer.value).toBe('about 1 at 1');
    held.release();
    await settled();
    expect(answer.value).toBe('about 1 at 2');
  });

  it('that could not be had is told, and leaves none', async () => {
    const { attempt, errors } = new FakeServer({});
    const scope = effectScope();
    scopes.push(scope);
    const { answer } = scope.run(() =>
      useAnswer(
        () => 1,
        () => Promise.reject(new Error('away')),
        { attempt },
      ),
    )!;
    await settled();
    expect([answer.value, errors]).toEqual([undefined, ['away']]);
  });
});
