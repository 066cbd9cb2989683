import type { Waiting } from '@flagstone/contract/remarks';
import { useDebounceFn } from '@vueuse/core';
import { defineStore } from 'pinia';
import { computed, ref, watch } from 'vue';
import { call } from '../api/client.ts';
import { showingErrors } from '../ui/use-errors.ts';
import { useLive } from './live.ts';
import { useSession } from './session.ts';

/** A job that edits tells of itself all the while: now and then is enough. */
const REST_MS = 800;
const AT_MOST_MS = 10_000;

/** What waits for whoever is signed in, kept up to date. */
export const useWaiting = defineStore('waiting', () => {
  const waiting = ref<Waiting>();
  const session = useSession();
  const live = useLive();
  const counts = computed(() => waiting.value?.counts ?? { remarks: 0, returned: 0, toReview: 0 });

  async function load(): Promise<void> {
    await showingErrors(async () => {
      waiting.value = await call('listWaiting');
    });
  }
  const loadSoon = useDebounceFn(load, REST_MS, { maxWait: AT_MOST_MS });
  live.onRecords((_, onlyMeasured) => void (onlyMeasured || loadSoon()));
  watch(
    () => session.personId,
    (person) => person > 0 && void load(),
    { immediate: true },
  );

  /** Settles a remark that names whoever is signed in. */
  async function settle(remarkId: number): Promise<void> {
    await showingErrors(async () => {
      await call('settleRemark', { params: { id: remarkId }, body: { isDone: true } });
      await load();
    });
  }

  return { waiting, counts, load, settle };
});
