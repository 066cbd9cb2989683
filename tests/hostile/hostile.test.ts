import { execFileSync } from 'node:child_process';
import { readFileSync } from 'node:fs';
import { chmod, mkdir, mkdtemp, readFile, rm, symlink, writeFile } from 'node:fs/promises';
import { connect } from 'node:net';
import os from 'node:os';
import path from 'node:path';
import { afterAll, beforeAll, describe, expect, it, jest } from '@jest/globals';
import type { Job } from '@flagstone/contract/jobs';
import { wavBytes } from '@flagstone/demo/wav-file';
import { RunningServer } from '../running-server.ts';
import { hostileFiles } from './hostile-files.ts';
import { workbook } from './zip-file.ts';

/**
 * A real server is given files and requests made to hurt. Whatever they are, its main thread is free for everybody else within a second, it ends no job by
 * itself, and its memory stays below a limit.
 */
jest.setTimeout(240_000);
/** Processor time of the main thread between a request and its answer: unlike time by the clock, the same whatever else the machine is doing. */
const MAIN_THREAD_BUSY_AT_MOST_MS = 1000;
/** By the clock: far above what a slow machine needs, far below what anybody waits for. */
const ANSWERED_WITHIN_MS = 8000;
const MS_PER_TICK = 10;
const MOST_MEMORY_BYTES = 1.5 * 1024 ** 3;

const LONG = 'long hum.wav';

let folder = '';
let drive = '';
let secret = '';
let server: RunningServer;
let files: Map<string, Uint8Array>;
let slowest = 0;
let busiest = 0;
let watching: NodeJS.Timeout | undefined;
const asked = new Set<Promise<unknown>>();

/** Of somebody who is signed in, once the server runs. */
const HEADERS: Record<string, string> = { 'Content-Type': 'application/json' };
const send = (method: string, address: string, body?: unknown, headers: Record<string, string> = HEADERS) =>
  fetch(`${server.address}${address}`, {
    method,
    headers,
    ...(body === undefined
      ? {}
      : { body: (typeof body === 'string' || body instanceof Uint8Array ? body : JSON.stringify(body)) as BodyInit }),
  });
const api = async <Answer>(method: string, address: string, body?: unknown): Promise<Answer> => {
  const answer = await send(method, `/api${address}`, body);
  if (!answer.ok) throw new Error(`${method} ${address}: ${answer.status} ${await answer.text()}`);
  return (await answer.json()) as Answer;
};

/** Processor time that the server's main thread has used, in ms: `utime` and `stime` of proc(5). */
function mainThreadMs(): number {
  const stat = readFileSync(`/proc/${server.pid}/task/${server.pid}/stat`, 'utf8');
  // The name of the thread, in brackets, may hold blanks.
  const fields = stat.slice(stat.lastIndexOf(')') + 2).split(' ');
  return (Number(fields[11]) + Number(fields[12])) * MS_PER_TICK;
}

/** Somebody else, who asks for a list ten times a second all the while. */
function watch(): void {
  watching = setInterval(() => {
    const began = performance.now();
    const busyBefore = mainThreadMs();
    const answer = send('GET', '/api/catalogue?limit=50')
      .then((given) => given.text())
      .then(() => {
        slowest = Math.max(slowest, performance.now() - began);
        busiest = Math.max(busiest, mainThreadMs() - busyBefore);
      });
    asked.add(answer);
    void answer.finally(() => asked.delete(answer));
  }, 100);
}

async function peakMemory(): Promise<number> {
  const status = await readFile(`/proc/${server.pid}/status`, 'utf8');
  return Number(/VmHWM:\s+(\d+) kB/.exec(status)?.[1] ?? Infinity) * 1024;
}

beforeAll(async () => {
  folder = await mkdtemp(path.join(os.tmpdir(), 'flagstone-hostile-'));
  await chmod(folder, 0o755);
  drive = path.join(folder, 'drive');
  secret = path.join(folder, 'secret.wav');
  await mkdir(path.join(drive, 'a folder.wav'), { recursive: true });
  files = await hostileFiles();
  // Large enough that a hundred answers of it, held at once, would be over the limit.
  const hum = Float32Array.from({ length: 48_000 * 80 }, (_, at) => Math.sin(at / 90) * 0.3);
  files.set(LONG, wavBytes([hum, hum], { rate: 48_000, bits: 16 }));
  for (const [name, bytes] of files) await writeFile(path.join(drive, name), bytes);
  const [good] = [...files].filter(([name]) => name.startsWith('quote'));
  await writeFile(secret, good?.[1] ?? '');
  execFileSync('mkfifo', [
    path.join(drive, 'a pipe.wav'),
    path.join(drive, '.flagstone-write-alone-0-0-0-0.1.journal'),
  ]);
  await symlink(drive, path.join(drive, 'round and round'));
  await symlink('/dev/zero', path.join(drive, 'zeros.wav'));
  await symlink(secret, path.join(drive, 'way out.wav'));
  await symlink('itself.wav', path.join(drive, 'itself.wav'));
  server = new RunningServer(path.join(folder, 'data'), drive);
  await server.start();
  Object.assign(HEADERS, server.headers);
  watch();
});
afterAll(async () => {
  clearInterval(watching);
  await Promise.allSettled(asked);
  await server.end();
  await rm(folder, { recursive: true, force: true });
});

async function endOf(kind: string): Promise<Job> {
  for (;;) {
    const jobs = await api<Job[]>('GET', '/jobs');
    const job = jobs.find((each) => each.kind === kind);
    if (job && !['waiting', 'running'].includes(job.state)) return job;
    await new Promise((resolve) => setTimeout(resolve, 100));
  }
}

describe('a folder of files made to hurt', () => {
  let batchId = 0;

  it('is read whole: each file is a sound or a line among the faults', async () => {
    expect(files.size).toBeGreaterThanOrEqual(60);
    const { batch } = await api<{ batch: { id: number } }>('POST', '/intake', { path: drive });
    batchId = batch.id;
    const job = await endOf('index');
    expect(job).toMatchObject({ state: 'done', error: null });
    const { counts } = await api<{ counts: { all: number; unreadable: number } }>('GET', `/batches/${batchId}`);
    const faults = await api<{ name: string; message: string }[]>('GET', `/batches/${batchId}/unreadable`);
    // Those that hold the same audio are copies of one sound; the links, the pipe and the folder are no files.
    expect(counts.all + faults.filter(({ name }) => files.has(name)).length).toBe(files.size);
    expect(faults.map(({ name }) => name)).toEqual(expect.arrayContaining(['way out.wav', 'itself.wav']));
  });

  it('is measured whole: what cannot be is told, and the job ends', async () => {
    const job = await endOf('measure');
    expect(job).toMatchObject({ state: 'done', error: null });
    expect(job.done + job.failed).toBe(job.total);
    for (const { examples } of job.failures) expect(examples.join()).not.toMatch(/0x[0-9a-f]{6}|file:\//);
  });

  it('is looked at, listened to and planned without a fault of the server', async () => {
    const { rows } = await api<{ rows: { copyId: number; soundId: number }[] }>(
      'GET',
      `/batches/${batchId}/rows?limit=500`,
    );
    const statuses: number[] = [];
    for (const { copyId, soundId } of rows)
      for (const address of [
        `/copies/${copyId}/contents`,
        `/copies/${copyId}/audio`,
        `/copies/${copyId}/audio?as=wav`,
        `/sounds/${soundId}/peaks?buckets=100`,
        `/sounds/${soundId}/samples?from=0&to=1000`,
        `/sounds/${soundId}/spectrogram?columns=64&rows=64&size=256`,
      ]) {
        const answer = await send('GET', `/api${address}`);
        // Endless silence is promised by some headers: the beginning is enough.
        const reader = answer.body?.getReader();
        await reader?.read();
        await reader?.cancel();
        statuses.push(answer.status);
      }
    expect(statuses.filter((status) => status >= 500)).toEqual([]);
    const selection = { kind: 'batch', batchId };
    for (const kind of ['write', 'rename']) await api('POST', '/plans', { kind, selection });
  });
});

describe('requests made to hurt', () => {
  const long = 'a'.repeat(100_000);
  const cell = (at: string): string =>
    `<row r="${at.replace(/\D/g, '')}"><c r="${at}" t="inlineStr"><is><t>x</t></is></c></row>`;
  const requests: [what: string, send: () => Promise<{ status: number }>][] = [
    ['no JSON', () => send('POST', '/api/plans', '{"kind":')],
    ['JSON of ten thousand levels', () => send('POST', '/api/plans', `${'['.repeat(10_000)}${']'.repeat(10_000)}`)],
    ['a body of 10 MB', () => send('POST', '/api/plans', JSON.stringify({ a: 'x'.repeat(10_000_000) }))],
    [
      '__proto__',
      () => send('PATCH', '/api/records', '{"selection":{"kind":"copies","copyIds":[1]},"edit":{"__proto__":{"x":1}}}'),
    ],
    ['a number that is none', () => send('GET', '/api/sounds/NaN')],
    ['a number below nought', () => send('GET', '/api/sounds/-1')],
    ['a number beyond', () => send('GET', '/api/sounds/99999999999999999999')],
    ['a list number beyond', () => send('GET', '/api/pull-lists/4294967296/entries')],
    ['a number with a comment', () => send('GET', '/api/sounds/1;drop%20table%20sounds')],
    ['NUL in a search', () => send('GET', '/api/catalogue?q=%00kiln')],
    ['NUL in a name', () => send('POST', '/api/pull-lists', { name: 'a\0b' })],
    ['half a character', () => send('POST', '/api/pull-lists', '{"name":"\\ud800"}')],
    ['a search of 20000 letters', () => send('GET', `/api/catalogue?q=${'a'.repeat(15_000)}`)],
    ['a search of a thousand brackets', () => send('GET', `/api/catalogue?q=${'('.repeat(1000)}`)],
    [
      'a search of a thousand choices',
      () => send('GET', `/api/catalogue?q=${encodeURIComponent('a or '.repeat(1000))}`),
    ],
    ['a search of quotes', () => send('GET', `/api/catalogue?q=${encodeURIComponent('"'.repeat(1000))}`)],
    [
      'a search that would be SQL',
      () => send('GET', `/api/catalogue?q=${encodeURIComponent("'; drop table sounds; --")}`),
    ],
    ['an order that is none', () => send('GET', '/api/catalogue?sort=pg_sleep(10)')],
    ['a cursor that is none', () => send('GET', '/api/catalogue?after=zzz')],
    ['a limit beyond', () => send('GET', '/api/catalogue?limit=1000000000')],
    ['a folder outside', () => send('POST', '/api/intake', { path: '/etc' })],
    ['a folder that climbs', () => send('POST', '/api/intake', { path: `${drive}/../../../etc` })],
    ['a folder that is a file', () => send('POST', '/api/intake', { path: path.join(drive, 'empty.wav') })],
    ['a folder with NUL', () => send('POST', '/api/intake', { path: `${drive}\0/etc` })],
    ['the folders of the root', () => send('GET', '/api/folders?path=/')],
    ['a file of the disk', () => send('GET', '/..%2f..%2f..%2fetc%2fpasswd')],
    ['a file of the disk among the assets', () => send('GET', '/assets/..%2f..%2f..%2fpackage.json')],
    ['nobody', () => send('GET', '/api/catalogue', undefined, {})],
    [
      'somebody unknown',
      () => send('GET', '/api/catalogue', undefined, { ...HEADERS, Cookie: 'flagstone-session=guessed' }),
    ],
    [
      'an export by nobody',
      () => send('POST', '/api/export', 'request={}', { 'Content-Type': 'application/x-www-form-urlencoded' }),
    ],
    [
      'a pattern that goes back and back',
      () => send('POST', '/api/path-rules', { pattern: '+(*)x', sets: { library: 'x' } }),
    ],
    [
      'a pattern of many stars',
      () => send('POST', '/api/path-rules', { pattern: '*a'.repeat(60), sets: { library: 'x' } }),
    ],
    [
      'a recipe that goes back and back',
      () =>
        send('POST', '/api/recipes/count', {
          selection: { kind: 'copies', copyIds: [1, 2, 3] },
          steps: [{ do: 'replace', fields: ['notes'], find: '(a+)+$', by: '', regular: true }],
        }),
    ],
    [
      'a workbook with a cell far away',
      () =>
        send('POST', '/api/import?format=xlsx&apply=no', workbook(cell('XFD1048576')), {
          ...HEADERS,
          'Content-Type': 'application/octet-stream',
        }),
    ],
    [
      'a workbook of gigabytes',
      () =>
        send(
          'POST',
          '/api/import?format=xlsx&apply=no',
          workbook('<row r="1"><c t="inlineStr"><is><t>x</t></is></c></row>'.repeat(3_000_000)),
          { ...HEADERS, 'Content-Type': 'application/octet-stream' },
        ),
    ],
    [
      'a workbook of wide rows',
      () =>
        send(
          'POST',
          '/api/import?format=xlsx&apply=no',
          workbook(Array.from({ length: 3000 }, (_, at) => cell(`XFD${at + 1}`)).join('')),
          { ...HEADERS, 'Content-Type': 'application/octet-stream' },
        ),
    ],
    [
      'a workbook that is none',
      () =>
        send('POST', '/api/import?format=xlsx&apply=no', new Uint8Array(5000), {
          ...HEADERS,
          'Content-Type': 'application/octet-stream',
        }),
    ],
    [
      'a table of one quote',
      () =>
        send('POST', '/api/import?format=csv&apply=no', `"${'x,'.repeat(500_000)}`, {
          ...HEADERS,
          'Content-Type': 'text/csv',
        }),
    ],
    [
      'a sound that is none',
      () =>
        send('POST', '/api/sounds-like?by=everything', new Uint8Array(100_000), {
          ...HEADERS,
          'Content-Type': 'application/octet-stream',
        }),
    ],
    [
      'a sound of 1 Hz',
      () =>
        send('POST', '/api/sounds-like?by=everything', files.get('flac of 1 Hz.flac') ?? '', {
          ...HEADERS,
          'Content-Type': 'application/octet-stream',
        }),
    ],
    ['a header of 20 kB', () => send('GET', '/api/people', undefined, { 'X-Long': long.slice(0, 20_000) })],
    ['samples without end', () => send('GET', `/api/sounds/1/samples?from=0&to=${2 ** 52}`)],
    ['a spectrogram of nothing', () => send('GET', '/api/sounds/1/spectrogram?columns=0&rows=0&size=3')],
    ['a job of nobody', () => send('POST', '/api/jobs/not-a-uuid/cancel', {})],
    ['a ticket that was never given', () => send('GET', '/api/copy-out/00000000-0000-4000-8000-000000000000')],
  ];

  it(`are answered as faults of theirs, all ${requests.length} at once`, async () => {
    expect(requests.length).toBeGreaterThanOrEqual(40);
    const answers = await Promise.all(
      requests.map(async ([what, ask]) => [what, (await ask().catch(() => ({ status: 0 }))).status] as const),
    );
    expect(answers.filter(([, status]) => status >= 500)).toEqual([]);
    const fine = answers.filter(([, status]) => status === 200).map(([what]) => what);
    // Searches find nothing, patterns are matched without going back, half a character becomes a whole one, a range ends with its sound; the rest is refused.
    expect(fine.filter((what) => !/search|pattern|recipe|half|samples/.test(what))).toEqual([]);
  });

  it('under the name of another host are refused', async () => {
    const { hostname, port } = new URL(server.address);
    const answer = await new Promise<string>((resolve, reject) => {
      const socket = connect(Number(port), hostname, () =>
        socket.write('GET /api/people HTTP/1.1\r\nHost: evil.example\r\n\r\n'),
      );
      socket.once('data', (text) => resolve(text.toString()) ?? socket.destroy()).once('error', reject);
    });
    expect(answer).toContain('403');
  });

  it('by a hundred who never read what they are sent hold nobody up', async () => {
    const { hostname, port } = new URL(server.address);
    const { rows } = await api<{ rows: { soundId: number; name: string }[] }>('GET', '/batches/1/rows?limit=500');
    const soundId = rows.find(({ name }) => name === LONG)?.soundId;
    const sockets = Array.from({ length: 100 }, () => {
      const socket = connect(Number(port), hostname);
      socket.on('error', () => undefined).pause();
      socket.write(
        `GET /api/sounds/${soundId}/samples?from=0&to=60000000 HTTP/1.1\r\nHost: 127.0.0.1\r\nCookie: ${HEADERS['Cookie']}\r\n\r\n`,
      );
      return socket;
    });
    for (let asks = 0; asks < 20; asks += 1) expect((await send('GET', '/api/catalogue')).status).toBe(200);
    for (const socket of sockets) socket.destroy();
    expect((await send('GET', '/api/people')).status).toBe(200);
  });
});

describe('all the while', () => {
  it('the main thread was free for everybody else within a second, and memory stayed below the limit', async () => {
    await Promise.all(asked);
    const peak = await peakMemory();
    process.stderr.write(
      `hostile: ${files.size} files, slowest answer ${slowest.toFixed(0)} ms, main thread busy for ${busiest} ms at most, peak memory ${(peak / 1024 ** 2).toFixed(0)} MiB\n`,
    );
    expect(busiest).toBeGreaterThan(0);
    expect(busiest).toBeLessThan(MAIN_THREAD_BUSY_AT_MOST_MS);
    expect(slowest).toBeLessThan(ANSWERED_WITHIN_MS);
    expect(peak).toBeLessThan(MOST_MEMORY_BYTES);
    // Nothing outside the drive was touched.
    expect((await readFile(secret)).length).toBeGreaterThan(0);
  });
});
