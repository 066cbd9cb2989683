import type { SavedSearch } from '@flagstone/contract/saved-searches';
import { useDebounceFn } from '@vueuse/core';
import { defineStore } from 'pinia';
import { computed, ref, watch } from 'vue';
import { call } from '../api/client.ts';
import { showingErrors } from '../ui/use-errors.ts';
import { useLive } from '../stores/live.ts';
import { useSession } from '../stores/session.ts';

/** Changes come in bursts: the searches are counted again when they rest. */
const REST_MS = 1500;

/** The searches that the person keeps or others share, with what they find now. */
export const useSavedSearches = defineStore('saved-searches', () => {
  const list = ref<SavedSearch[]>([]);
  const session = useSession();
  const live = useLive();
  /** In how many of them something arrived. */
  const withArrivals = computed(() => list.value.filter(({ arrived }) => arrived > 0).length);

  const take = (work: () => Promise<SavedSearch[]>): Promise<void | undefined> =>
    showingErrors(async () => {
      list.value = await work();
    });
  const load = (): Promise<void | undefined> => take(() => call('listSavedSearches'));
  const loadSoon = useDebounceFn(load, REST_MS);
  live.onRecords(() => void loadSoon());
  live.onJob((job) => job.state === 'done' && void loadSoon());
  watch(
    () => session.personId,
    (person) => person > 0 && void load(),
    { immediate: true },
  );

  const save = (name: string, query: Record<string, string>, shared: boolean): Promise<void | undefined> =>
    take(() => call('saveSearch', { body: { name, query, shared } }));
  const remove = (id: number): Promise<void | undefined> => take(() => call('removeSavedSearch', { params: { id } }));
  /** What is there now counts as seen. */
  const visit = (id: number): Promise<void | undefined> => take(() => call('visitSavedSearch', { params: { id } }));

  return { list, withArrivals, load, save, remove, visit };
});
