import { describe, expect, it } from '@jest/globals';
import { MOST_ANNOUNCED, type ArrivalFile } from '@flagstone/contract/arrivals';
import type { GatheredFile } from './gathered-files.ts';
import { sendFiles, type Sending, type SendingProgress } from './send-files.ts';

const files = (count: number): GatheredFile[] =>
  Array.from({ length: count }, (_, at) => ({
    path: `take ${at}.wav`,
    file: new File([new Uint8Array(100)], `${at}`),
  }));

/** A server that knows what was announced; `known` says how files stand already. */
function world(known: Record<string, Partial<ArrivalFile>> = {}, faults: Record<string, string> = {}) {
  const sent: { id: string; begun: boolean; sha256: string }[] = [];
  const announced: number[] = [];
  let underWay = 0;
  let most = 0;
  const sending: Sending = {
    announce: (part) => {
      announced.push(part.length);
      const rows = part.map(({ path, bytes }): ArrivalFile => ({
        id: path,
        path,
        bytes,
        state: 'announced',
        begun: false,
        code: '',
        message: '',
        ...known[path],
      }));
      return Promise.resolve(rows);
    },
    digest: () => Promise.resolve('d'.repeat(64)),
    upload: async (_file, of, tell) => {
      most = Math.max(most, (underWay += 1));
      tell(50);
      await Promise.resolve();
      underWay -= 1;
      const fault = faults[of.id];
      if (fault !== undefined) throw new Error(fault);
      sent.push(of);
    },
  };
  return { sending, sent, announced, most: () => most };
}

const run = (count: number, { sending }: ReturnType<typeof world>, signal = new AbortController().signal) => {
  const told: SendingProgress[] = [];
  return { told, ended: sendFiles(files(count), [], sending, (now) => told.push(now), signal) };
};

describe('files that are sent', () => {
  it('are announced in parts and sent a few at a time, with progress that ends at all of it', async () => {
    const server = world();
    const { told, ended } = run(MOST_ANNOUNCED + 3, server);
    expect(await ended).toMatchObject({
      doneFiles: MOST_ANNOUNCED + 3,
      sentBytes: 100 * (MOST_ANNOUNCED + 3),
      failed: [],
    });
    expect(server.announced).toEqual([MOST_ANNOUNCED, 3]);
    expect(server.most()).toBe(3);
    expect(told.map(({ sentBytes }) => sentBytes).every((bytes, at, all) => bytes >= (all[at - 1] ?? 0) - 50)).toBe(
      true,
    );
  });

  it('are not sent where they are here already, and go on where they were begun', async () => {
    const server = world({ 'take 0.wav': { state: 'here' }, 'take 1.wav': { begun: true } });
    expect(await run(3, server).ended).toMatchObject({ doneFiles: 3, sentBytes: 300 });
    // What was begun has its digest told already.
    expect(server.sent).toEqual([
      { id: 'take 1.wav', begun: true, sha256: '' },
      { id: 'take 2.wav', begun: false, sha256: 'd'.repeat(64) },
    ]);
  });

  it('are told one by one where they cannot be sent, and the rest goes on', async () => {
    const server = world(
      { 'take 2.wav': { state: 'left', message: 'No sound by its name.' } },
      { 'take 0.wav': 'The drive is full.' },
    );
    const { failed, leftOut, doneFiles } = await run(4, server).ended;
    expect(doneFiles).toBe(4);
    expect(failed).toEqual([{ path: 'take 0.wav', why: 'The drive is full.' }]);
    expect(leftOut).toBe(1);
  });

  it('that are not sent are told too, with what is known of them', async () => {
    const server = world();
    const asked: object[] = [];
    const { announce } = server.sending;
    server.sending.announce = (part) => {
      asked.push(...part);
      return announce(part);
    };
    const left = [
      { path: 'notes.pdf', bytes: 5, why: 'No sound' },
      { path: 'door.wav', bytes: 9, why: 'Held already, as Kiln door.wav', heldAs: 'Kiln door.wav' },
    ];
    const { files: count } = await sendFiles(
      files(1),
      left,
      server.sending,
      () => undefined,
      new AbortController().signal,
    );
    expect(count).toBe(1);
    expect(asked.slice(0, 2)).toEqual([
      { path: 'notes.pdf', bytes: 5 },
      { path: 'door.wav', bytes: 9, heldAs: 'Kiln door.wav' },
    ]);
    expect(server.sent.map(({ id }) => id)).toEqual(['take 0.wav']);
  });

  it('stop when somebody pauses, by that reason', async () => {
    const own = new AbortController();
    const server = world();
    const { upload } = server.sending;
    server.sending.upload = (...of) => {
      own.abort(new DOMException('paused', 'AbortError'));
      return upload(...of);
    };
    await expect(run(50, server, own.signal).ended).rejects.toThrow('paused');
    expect(server.sent.length).toBeLessThan(5);
  });
});
