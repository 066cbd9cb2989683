import { readFileSync } from 'node:fs';
import { mkdir, writeFile } from 'node:fs/promises';
import path from 'node:path';
import { filterSchema, type Selection } from '@flagstone/contract/selection';
import type { TestApplication } from '../server/test-application.ts';
import { toneBytes } from '../server/test-application.ts';

/** How long the main thread was busy without answering anybody, in milliseconds of its own computing time: what other programs take does not count. */
export interface Watched {
  kind: string;
  seconds: number;
  longestMs: number;
  /** Calls that took longer than a listener notices. */
  over50: number;
}

const LOOK_EVERY_MS = 5;
const FILES_IN_FOLDER = 1000;

/** Computing time of this thread in milliseconds, by the scheduler's own count (/proc/PID/task/TID/schedstat). */
function computedMs(): number {
  const [nanoseconds = '0'] = readFileSync(`/proc/self/task/${process.pid}/schedstat`, 'utf8').split(' ');
  return Number(nanoseconds) / 1e6;
}

/** Does some work while the event loop is looked at. */
export async function watched(kind: string, work: () => Promise<unknown>): Promise<Watched> {
  const began = performance.now();
  let [longestMs, over50, before] = [0, 0, computedMs()];
  const timer = setInterval(() => {
    const now = computedMs();
    const busy = now - before;
    before = now;
    longestMs = Math.max(longestMs, busy);
    if (busy > 50) over50 += 1;
  }, LOOK_EVERY_MS);
  try {
    await work();
  } finally {
    clearInterval(timer);
  }
  return { kind, seconds: (performance.now() - began) / 1000, longestMs, over50 };
}

/**
 * Every kind of job, once, on so many files of the application's drive; one planned name for all of them, which is the hardest to lay. Of each plan
 * only some items are carried out, one after the other as in any plan. Measuring goes on beside all of it, as it does; with `toTheEnd` until all is measured.
 */
export async function* watchJobs(
  app: TestApplication,
  { count, carriedOut, toTheEnd }: { count: number; carriedOut: number; toTheEnd: boolean },
): AsyncGenerator<Watched> {
  for (let first = 0; first < count; first += FILES_IN_FOLDER) {
    const folder = path.join(app.drive, 'many', `folder ${first / FILES_IN_FOLDER}`);
    await mkdir(folder, { recursive: true });
    for (let number = first; number < Math.min(count, first + FILES_IN_FOLDER); number += 1)
      await writeFile(path.join(folder, `take ${number}.wav`), toneBytes(number + 1));
  }
  let batchId = 0;
  yield await watched('index', async () => {
    ({ batchId } = await app.intake('many'));
  });
  const selection: Selection = { kind: 'batch', batchId };
  const set = { catId: 'CERMBrk', fxName: 'Pot Falls', creatorId: 'OV', sourceId: 'KILN' };
  yield await watched('edit all', () => app.call('editRecords', { body: { selection, edit: { set } } }));
  for (const kind of ['rename', 'write'] as const) {
    let planId = 0;
    yield await watched(`plan ${kind}`, async () => {
      planId = (await app.call('makePlan', { body: { kind, selection } })).id;
    });
    const { rows } = await app.call('listBatchRows', { params: { id: batchId }, query: { limit: '500' } });
    const copyIds = rows.slice(0, carriedOut).map(({ copyId }) => copyId);
    if (copyIds.length < count)
      planId = (await app.call('makePlan', { body: { kind, selection: { kind: 'copies', copyIds } } })).id;
    const run = async () => app.ended(await app.call('runPlan', { params: { id: planId }, body: {} }));
    yield await watched(kind, run);
    yield await watched(`undo ${kind}`, async () => app.ended(await app.call('undoPlan', { params: { id: planId } })));
  }
  yield await watched('suggest', () =>
    app.call('acceptSuggestions', { body: { selection, minimumScore: 0.3, fields: ['keywords', 'fxName'] } }),
  );
  yield await watched('file', () => app.call('fileBatch', { params: { id: batchId } }));
  await mkdir(path.join(app.drive, 'out'));
  const everything = { kind: 'sounds', selection: { kind: 'catalogue', filter: filterSchema.parse({}) }, cut: 'whole' };
  yield await watched('copy out', async () =>
    app.ended(
      await app.call('copyOutToFolder', {
        body: { what: everything, tree: false, folder: path.join(app.drive, 'out') },
      }),
    ),
  );
  yield await watched('index again', () => app.intake('many'));
  if (toTheEnd) yield await watched('measure', () => app.measured());
}
