import type { Job } from '@flagstone/contract/jobs';
import type { NewPlan, Plan, PlanItem } from '@flagstone/contract/plans';
import { computed, onScopeDispose, ref, shallowRef, watch, type Ref } from 'vue';
import { counted } from '../ui/format.ts';
import type { Server } from '../ui/server.ts';

/** What is heard of the work of others, and of one's own. */
export interface PlanEvents {
  onJob: (heard: (job: Job) => void) => () => void;
  onRecords: (heard: (soundIds: ReadonlySet<number>, onlyMeasured: boolean) => void) => () => void;
}

/** Makes a plan where something else than a selection says what it is about. */
export interface PlanMaker {
  by: () => Promise<Plan>;
}

const ITEMS_AT_ONCE = 1000;

/**
 * A plan on show: made anew whenever what is wanted changes, or a record does until the plan itself begins to change things; run as a whole or for one item, watched until its
 * job has ended, and undone. `currentCopyId` is the copy that “Try one” begins with, `share` how much of the time its job works, in percent.
 */
export function usePlan(
  wanted: Ref<NewPlan | PlanMaker>,
  currentCopyId: () => number,
  server: Server,
  events: PlanEvents,
  share: () => number | undefined = () => undefined,
) {
  const plan = ref<Plan>();
  const items = shallowRef<PlanItem[]>([]);
  const show = ref<'all' | 'runnable' | 'problems'>('all');
  const working = ref(false);
  /** Whether anything of the plan on show was run; its own changes of records must not make it anew. */
  const started = ref(false);
  /** Of the plans that were asked for, only the last one comes on show. */
  let asked = 0;

  const visible = computed(() =>
    items.value.filter((item) => {
      if (show.value === 'runnable') return item.state === 'planned';
      if (show.value === 'problems') return item.problems.length > 0;
      return true;
    }),
  );
  /** How many names are too long for file systems. */
  const tooLong = computed(
    () => items.value.filter(({ problems }) => problems.some(({ code }) => code === 'NAME_TOO_LONG')).length,
  );
  const canRun = computed(() => !working.value && (plan.value?.counts.runnable ?? 0) > 0);

  async function itemsOf(id: number): Promise<PlanItem[]> {
    const loaded: PlanItem[] = [];
    for (let after: number | null = 0; after !== null;) {
      const page: { items: PlanItem[]; next: number | null } = await server.call('listPlanItems', {
        params: { id },
        query: { after, limit: ITEMS_AT_ONCE },
      });
      loaded.push(...page.items);
      after = page.next;
    }
    return loaded;
  }

  /** Makes the plan anew; what ran before stays in the journal. */
  async function make(): Promise<void> {
    const turn = ++asked;
    working.value = true;
    started.value = false;
    const made = await server.attempt(async () => {
      const { value } = wanted;
      const fresh = await ('by' in value ? value.by() : server.call('makePlan', { body: value }));
      return { fresh, loaded: await itemsOf(fresh.id) };
    });
    if (turn !== asked) return;
    working.value = false;
    if (made) [plan.value, items.value] = [made.fresh, made.loaded];
  }

  /** Asks how the plan stands. */
  async function reload(id: number): Promise<void> {
    const fresh = await server.call('getPlan', { params: { id } });
    const loaded = await itemsOf(id);
    // Another one may have come on show meanwhile.
    if (plan.value?.id === id) [plan.value, items.value] = [fresh, loaded];
  }

  async function run(onlyItemId?: number): Promise<void> {
    const id = plan.value?.id;
    if (id === undefined) return;
    started.value = true;
    // Said before the answer arrives: the job may have ended by then.
    working.value = true;
    const job = await server.attempt(() =>
      server.call('runPlan', {
        params: { id },
        body: { onlyItemId, share: share() },
      }),
    );
    if (!job) working.value = false;
    else if (job.awaitsDrive !== null) await waitFor(job.awaitsDrive, id);
  }

  /** Everything that is left waits for a drive: there is nothing to watch now. */
  async function waitFor(drive: string, id: number): Promise<void> {
    working.value = false;
    await server.attempt(() => reload(id));
    server.tell(
      `Kept for “${drive}”`,
      'It is done by itself when the drive is back; the jobs at the top right can call it off.',
    );
  }

  /** Runs the item of the current copy, or the first one that can run. */
  function tryOne(): Promise<void> {
    const planned = items.value.filter(({ state }) => state === 'planned');
    return run((planned.find(({ copyId }) => copyId === currentCopyId()) ?? planned[0])?.id);
  }

  async function undo(): Promise<void> {
    const id = plan.value?.id;
    if (id === undefined) return;
    working.value = true;
    const job = await server.attempt(() => server.call('undoPlan', { params: { id } }));
    if (!job) working.value = false;
  }

  const stopJobs = events.onJob((job) => {
    const id = plan.value?.id;
    // Files say again what they said before, so every plan that was on show is old, also when another one was undone.
    if (job.kind === 'undo' && job.state === 'done' && job.failed === 0 && plan.value) {
      server.tell(job.title, 'The plan is made anew.');
      void make();
      return;
    }
    if (id === undefined || job.planId !== id || job.state === 'waiting' || job.state === 'running') return;
    working.value = false;
    void server.attempt(async () => {
      await reload(id);
      if (job.state === 'done')
        server.tell(
          job.title,
          job.failed > 0
            ? `${counted(job.failed, 'file')} failed; the reasons stand beside them.`
            : 'Done. Undo is one click away.',
        );
    });
  });
  const stopRecords = events.onRecords((_ids, onlyMeasured) => {
    if (!onlyMeasured && !working.value && !started.value) void make();
  });
  onScopeDispose(() => {
    stopJobs();
    stopRecords();
  });
  // Compared by value: going from row to row makes a new selection that says the same.
  watch(() => JSON.stringify(wanted.value), make, { immediate: true });

  return { plan, items, visible, show, working, tooLong, canRun, make, run, tryOne, undo };
}
