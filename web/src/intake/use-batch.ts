import type { ErrorBody } from '@flagstone/contract/endpoint';
import type { Batch, Unreadable } from '@flagstone/contract/intake';
import type { Job } from '@flagstone/contract/jobs';
import type { Selection } from '@flagstone/contract/selection';
import { SURE_SCORE } from '@flagstone/core/suggest/suggest-category';
import type { SuggestedField } from '@flagstone/core/suggest/suggest-record';
import { computed, onScopeDispose, ref, shallowRef } from 'vue';
import { changedInWords } from '../ui/changed-in-words.ts';
import { counted } from '../ui/format.ts';
import type { Server } from '../ui/server.ts';
import { leftOutCount } from './left-out-count.ts';

/** What of the live events the page of a batch follows. */
interface BatchEvents {
  readonly running: readonly Job[];
  onJob: (heard: (job: Job) => void) => () => void;
  onRecords: (heard: (soundIds: ReadonlySet<number>, onlyMeasured: boolean) => void) => () => void;
}

/** A batch and how it stands: read anew whenever a record or a job changes, filled in by suggestion, filed. */
export function useBatch(id: number, server: Server, events: BatchEvents) {
  const batch = ref<Batch>();
  const unreadable = shallowRef<Unreadable[]>([]);
  /** Why there is no batch to show: it is not there, or not for whoever is signed in. */
  const refused = ref<ErrorBody>();
  /** Of the answers that were asked for, only the last one comes on show. */
  let asked = 0;

  const whole: Selection = { kind: 'batch', batchId: id };
  /** The job that reads the folder of the batch, while it runs. */
  const reading = computed(() => events.running.find((job) => job.kind === 'index' && job.batchId === id));
  /** What of the folder is in no row of the batch, in words; empty for nothing. */
  const leftOut = computed(() => {
    const others = batch.value ? leftOutCount(batch.value) : 0;
    return [
      ...(unreadable.value.length > 0 ? [`✕ ${counted(unreadable.value.length, 'file')} unreadable`] : []),
      ...(others > 0 ? [`◇ ${counted(others, 'file')} left out`] : []),
    ].join(', ');
  });
  /** Whether some sound of the batch still lacks what its name needs. */
  const isIncomplete = computed(() => (batch.value ? batch.value.counts.named < batch.value.counts.all : false));

  async function load(): Promise<void> {
    const turn = ++asked;
    const answer = await server.attempt(
      () =>
        Promise.all([server.call('getBatch', { params: { id } }), server.call('listUnreadable', { params: { id } })]),
      (body) => (refused.value = body),
    );
    if (!answer || turn !== asked) return;
    [batch.value, unreadable.value] = answer;
    refused.value = undefined;
  }

  /** Fills empty fields by what is suggested for them; without a selection of the whole batch. */
  async function acceptAll(fields: SuggestedField[], selection: Selection = whole): Promise<void> {
    const result = await server.attempt(() =>
      server.call('acceptSuggestions', { body: { selection, minimumScore: SURE_SCORE, fields } }),
    );
    if (result)
      server.tell(
        changedInWords(result, 'filled in'),
        'Only empty fields were filled, and no CatID that is just a guess. u takes it back.',
      );
  }

  /** Files the batch into the catalogue; false when that failed. */
  async function file(): Promise<boolean> {
    const result = await server.attempt(() => server.call('fileBatch', { params: { id } }));
    if (!result) return false;
    // What was asked before it was filed would say that it is not.
    asked += 1;
    batch.value = result.batch;
    server.tell(`${counted(result.filed, 'sound')} filed into the catalogue`);
    return true;
  }

  const stopRecords = events.onRecords(() => void load());
  const stopJobs = events.onJob(() => void load());
  onScopeDispose(() => {
    stopRecords();
    stopJobs();
  });
  void load();

  return { batch, refused, unreadable, whole, reading, leftOut, isIncomplete, load, acceptAll, file };
}
