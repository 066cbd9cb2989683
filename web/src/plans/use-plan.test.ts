import { afterEach, describe, expect, it } from '@jest/globals';
import type { Job } from '@flagstone/contract/jobs';
import type { NewPlan, Plan, PlanItem } from '@flagstone/contract/plans';
import { effectScope, ref, type EffectScope } from 'vue';
import { FakeServer, HeldBack, settled } from '../ui/fake-server.ts';
import { usePlan } from './use-plan.ts';

const scopes: EffectScope[] = [];
afterEach(() => scopes.splice(0).forEach((scope) => scope.stop()));

const item = (id: number, state: PlanItem['state'], code?: string): PlanItem =>
  ({ id, copyId: id * 10, state, problems: code === undefined ? [] : [{ code }] }) as unknown as PlanItem;
const planOf = (id: number, runnable = 2): Plan => ({ id, counts: { runnable } }) as unknown as Plan;
const jobOf = (job: Partial<Job>): Job =>
  ({ kind: 'rename', state: 'done', failed: 0, title: 'Rename', ...job }) as Job;

const wantedRename: NewPlan = {
  kind: 'rename',
  selection: { kind: 'batch', batchId: 1 },
  batchId: 1,
  allCopies: false,
  rename: { shorten: 'no', extensions: 'kept', companions: true },
};

function opened(answers: ConstructorParameters<typeof FakeServer>[0] = {}) {
  let made = 0;
  const items = [
    item(1, 'unchanged'),
    item(2, 'planned'),
    item(3, 'planned', 'NAME_TOO_LONG'),
    item(4, 'blocked', 'FXNAME_MISSING'),
  ];
  const server = new FakeServer({
    makePlan: () => planOf(++made),
    getPlan: ({ params }) => planOf(Number(params?.['id']), 0),
    listPlanItems: ({ query }) =>
      query?.['after'] === 0 ? { items: items.slice(0, 2), next: 2 } : { items: items.slice(2), next: null },
    runPlan: () => jobOf({ state: 'waiting', awaitsDrive: null }),
    undoPlan: () => jobOf({ kind: 'undo', state: 'waiting' }),
    ...answers,
  });
  let hearJob: (job: Job) => void = () => undefined;
  let hearRecords: (ids: ReadonlySet<number>, onlyMeasured: boolean) => void = () => undefined;
  let listening = 0;
  const stop = (): void => void (listening -= 1);
  const events = {
    onJob: (heard: typeof hearJob) => ((hearJob = heard), (listening += 1), stop),
    onRecords: (heard: typeof hearRecords) => ((hearRecords = heard), (listening += 1), stop),
  };
  const wanted = ref(wantedRename);
  const current = ref(0);
  const scope = effectScope();
  scopes.push(scope);
  const view = scope.run(() => usePlan(wanted, () => current.value, server, events))!;
  return {
    server,
    wanted,
    current,
    view,
    scope,
    job: (job: Partial<Job>) => hearJob(jobOf(job)),
    records: (onlyMeasured = false) => hearRecords(new Set([1]), onlyMeasured),
    listening: () => listening,
  };
}

describe('a plan on show', () => {
  it('is made at once, with all pages of its items', async () => {
    const { view, server } = opened();
    expect(view.working.value).toBe(true);
    await settled();
    expect(view.plan.value?.id).toBe(1);
    expect(view.items.value.map(({ id }) => id)).toEqual([1, 2, 3, 4]);
    expect([view.working.value, view.canRun.value, view.tooLong.value]).toEqual([false, true, 1]);
    expect(server.times('listPlanItems')).toBe(2);
  });

  it('shows what can run, or what has remarks', async () => {
    const { view } = opened();
    await settled();
    view.show.value = 'runnable';
    expect(view.visible.value.map(({ id }) => id)).toEqual([2, 3]);
    view.show.value = 'problems';
    expect(view.visible.value.map(({ id }) => id)).toEqual([3, 4]);
  });

  it('is made anew when something else is wanted, not when the same is said anew', async () => {
    const { view, wanted, server } = opened();
    await settled();
    wanted.value = { ...wantedRename };
    await settled();
    expect(server.times('makePlan')).toBe(1);
    wanted.value = { ...wantedRename, allCopies: true };
    await settled();
    expect(view.plan.value?.id).toBe(2);
  });

  it('shows the last of those that were asked for, whichever answer comes last', async () => {
    let made = 0;
    const held = new HeldBack(() => planOf(++made));
    const { view, wanted } = opened({ makePlan: held.answer });
    wanted.value = { ...wantedRename, allCopies: true };
    await settled();
    expect(held.count).toBe(2);
    held.release(1);
    await settled();
    expect([view.plan.value?.id, view.working.value]).toEqual([2, false]);
    held.release();
    await settled();
    expect(view.plan.value?.id).toBe(2);
  });

  it('stays as it was when another cannot be made, and can be asked for again', async () => {
    let fails = false;
    const { view, server } = opened({
      makePlan: () => {
        if (fails) throw new Error('the server does not answer');
        return planOf(1);
      },
    });
    await settled();
    fails = true;
    await view.make();
    expect([view.plan.value?.id, view.working.value, server.errors]).toEqual([
      1,
      false,
      ['the server does not answer'],
    ]);
  });
});

describe('running it', () => {
  it('tries the item of the current sound, else the first that can run', async () => {
    const { view, current, server } = opened();
    await settled();
    current.value = 30;
    await view.tryOne();
    current.value = 40;
    await view.tryOne();
    expect(server.asked.filter(([name]) => name === 'runPlan').map(([, { body }]) => body)).toEqual([
      { onlyItemId: 3 },
      { onlyItemId: 2 },
    ]);
  });

  it('works until its own job has ended, then shows how everything stands', async () => {
    const { view, job, server } = opened();
    await settled();
    await view.run();
    expect([view.working.value, view.canRun.value]).toEqual([true, false]);
    job({ planId: 99 });
    job({ planId: 1, state: 'running' });
    expect(view.working.value).toBe(true);
    job({ planId: 1, failed: 2 });
    await settled();
    expect([view.working.value, view.plan.value?.counts.runnable, server.told]).toEqual([false, 0, ['Rename']]);
  });

  it('does not work on when it could not begin', async () => {
    const { view } = opened({
      runPlan: () => {
        throw new Error('somebody renamed them');
      },
    });
    await settled();
    await view.run();
    expect(view.working.value).toBe(false);
  });

  it('is kept, and nothing watched, when all waits for a drive', async () => {
    const { view, server } = opened({ runPlan: () => jobOf({ state: 'waiting', awaitsDrive: 'Field 2' }) });
    await settled();
    await view.run();
    expect([view.working.value, server.told]).toEqual([false, ['Kept for “Field 2”']]);
  });
});

describe('what others do meanwhile', () => {
  it('makes it anew when a record changes, until the plan itself changes things', async () => {
    const { view, records, server } = opened();
    await settled();
    records(true);
    expect(server.times('makePlan')).toBe(1);
    records();
    await settled();
    expect(server.times('makePlan')).toBe(2);
    await view.run();
    records();
    await settled();
    expect(server.times('makePlan')).toBe(2);
  });

  it('makes it anew when anything was undone, also another plan', async () => {
    const { job, server, view } = opened();
    await settled();
    await view.run();
    job({ kind: 'undo', planId: 7 });
    await settled();
    expect([server.times('makePlan'), view.plan.value?.id]).toEqual([2, 2]);
    job({ kind: 'undo', planId: 7, failed: 1 });
    await settled();
    expect(server.times('makePlan')).toBe(2);
  });

  it('is heard no more when the page is left', async () => {
    const { scope, listening } = opened();
    await settled();
    expect(listening()).toBe(2);
    scope.stop();
    expect(listening()).toBe(0);
  });
});
