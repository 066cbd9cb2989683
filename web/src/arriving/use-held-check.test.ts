import { expect, it } from '@jest/globals';
import { effectScope } from 'vue';
import { FakeServer } from '../ui/fake-server.ts';
import type { GatheredFile } from './gathered-files.ts';
import { useHeldCheck } from './use-held-check.ts';

const file = (name: string): GatheredFile => ({ path: name, file: new File([name], name) });
/** A digest for each text; what cannot be read has none. */
const digests = () => ({
  of: (own: File) => Promise.resolve(own.name.startsWith('broken') ? null : (own.name[0] ?? '').repeat(64)),
  close: () => undefined,
});

it('tells what is held, and what comes twice, and asks nothing of files that cannot be read', async () => {
  const server = new FakeServer({ findHeld: () => [{ digest: 'a'.repeat(64), soundId: 4, name: 'Kiln door.wav' }] });
  const check = effectScope().run(() => useHeldCheck(server, digests));
  await check?.check(['a.wav', 'b.wav', 'b2.wav', 'broken.wav'].map(file));
  expect(check?.isDone.value).toBe(true);
  expect(Object.fromEntries(check?.held.value ?? [])).toEqual({ 'a.wav': 'Kiln door.wav', 'b2.wav': 'b.wav' });
  expect(server.asked[0]?.[1].body).toEqual({ digests: ['a'.repeat(64), 'b'.repeat(64)] });
});

it('forgets files for which others were handed over meanwhile', async () => {
  const server = new FakeServer({ findHeld: () => [] });
  const check = effectScope().run(() => useHeldCheck(server, digests));
  const first = check?.check([file('a.wav'), file('a2.wav')]);
  await check?.check([file('b.wav')]);
  await first;
  expect(check?.total.value).toBe(1);
  expect(check?.looked.value).toBe(1);
  expect(check?.held.value.size).toBe(0);
});
