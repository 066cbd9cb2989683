import type { PullEntry } from '@flagstone/contract/pull-lists';
import { computed, onScopeDispose, ref, watch } from 'vue';
import type { Server } from '../ui/server.ts';

/** What changes of an entry: its comment, before which other it stands (null: at the end), in which list. */
export interface EntryChange {
  comment?: string;
  before?: number | null;
  listId?: number;
}

/**
 * The entries of a pull list in their order, kept up to date while others change them, with the one that keys act on: it stays the current one wherever it comes to
 * stand. Of a list that was left meanwhile nothing is shown.
 */
export function usePullEntries(
  listId: () => number,
  server: Server,
  events: { onPullLists: (heard: () => void) => () => void },
) {
  const entries = ref<PullEntry[]>([]);
  const current = ref(0);
  /** Nothing is said of a list before it has come: neither that it is empty nor what another one holds. */
  const loadedId = ref<number>();
  const isLoaded = computed(() => loadedId.value === listId());

  function show(now: PullEntry[], marked = entries.value[current.value]?.id): void {
    const at = now.findIndex((entry) => entry.id === marked);
    entries.value = now;
    current.value = at >= 0 ? at : Math.max(0, Math.min(current.value, now.length - 1));
  }

  /** Asks the server, and shows what it says unless another list is on show by then; false when it could not. */
  async function ask(work: () => Promise<PullEntry[]>, marked?: number): Promise<boolean> {
    const id = listId();
    const now = await server.attempt(work);
    if (!now || id !== listId()) return false;
    loadedId.value = id;
    show(now, marked);
    return true;
  }

  const load = (): Promise<boolean> => ask(() => server.call('listPullEntries', { params: { id: listId() } }));

  const change = (id: number, body: EntryChange, marked?: number): Promise<boolean> =>
    ask(() => server.call('updatePullEntry', { params: { id }, body }), marked);

  const remove = (id: number): Promise<boolean> => ask(() => server.call('removePullEntry', { params: { id } }));

  /** Moves an entry up or down by one, and the mark with it. */
  async function move(index: number, by: -1 | 1): Promise<void> {
    const entry = entries.value[index];
    if (!entry || !entries.value[index + by]) return;
    const target = entries.value[by < 0 ? index - 1 : index + 2];
    await change(entry.id, { before: target?.id ?? null }, entry.id);
  }

  /** Puts an entry, of this list or of another one, before the one at a place; at the end where there is none. */
  async function put(id: number, at: number): Promise<void> {
    if (entries.value[at]?.id === id) return;
    await change(id, { listId: listId(), before: entries.value[at]?.id ?? null });
  }

  watch(
    listId,
    () => {
      entries.value = [];
      void load();
    },
    { immediate: true },
  );
  onScopeDispose(events.onPullLists(() => void load()));

  return { entries, isLoaded, current, change, remove, move, put };
}
