import type { PullEntry } from '@flagstone/contract/pull-lists';
import { computed, onScopeDispose, ref, watch } from 'vue';
import type { Server } from '../ui/server.ts';

/**
 * The entries of a pull list in their order, kept up to date while others change them, with the one that keys act on, and those that are chosen: they stay so wherever they
 * come to stand. Of a list that was left meanwhile nothing is shown.
 */
export function usePullEntries(
  listId: () => number,
  server: Server,
  events: { onPullLists: (heard: () => void) => () => void },
) {
  const entries = ref<PullEntry[]>([]);
  const current = ref(0);
  /** The chosen ones, by their numbers; what is done is done with them, else with the current one. */
  const chosen = ref(new Set<number>());
  /** Nothing is said of a list before it has come: neither that it is empty nor what another one holds. */
  const loadedId = ref<number>();
  const isLoaded = computed(() => loadedId.value === listId());

  function show(now: PullEntry[], marked = entries.value[current.value]?.id): void {
    const at = now.findIndex((entry) => entry.id === marked);
    entries.value = now;
    chosen.value = new Set(now.map(({ id }) => id).filter((id) => chosen.value.has(id)));
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

  const comment = (id: number, text: string): Promise<boolean> =>
    ask(() => server.call('updatePullEntry', { params: { id }, body: { comment: text } }));

  const remove = (entryIds: readonly number[]): Promise<boolean> =>
    ask(() => server.call('removePullEntries', { params: { id: listId() }, body: { entryIds: [...entryIds] } }));

  /** Chooses an entry, or no more; with `through`, all from the current one to it. */
  function choose(index: number, isChosen: boolean, through = false): void {
    const [from, to] = through ? [Math.min(index, current.value), Math.max(index, current.value)] : [index, index];
    const next = new Set(chosen.value);
    for (const { id } of entries.value.slice(from, to + 1))
      if (isChosen) next.add(id);
      else next.delete(id);
    chosen.value = next;
    current.value = index;
  }

  /** The chosen entries in their order, the current one where none is; where one is named that is not among them, that one alone. */
  function concerned(id?: number): number[] {
    const one = id ?? (chosen.value.size === 0 ? entries.value[current.value]?.id : undefined);
    if (one !== undefined && !chosen.value.has(one)) return [one];
    return entries.value.map((entry) => entry.id).filter((each) => chosen.value.has(each));
  }

  /** Moves an entry, or all chosen ones where it is one of them, up or down by one, and the mark with it. */
  async function move(index: number, by: -1 | 1): Promise<void> {
    const entry = entries.value[index];
    if (!entry) return;
    const moving = new Set(chosen.value.has(entry.id) ? chosen.value : [entry.id]);
    const places = entries.value.flatMap(({ id }, at) => (moving.has(id) ? [at] : []));
    const beyond = by < 0 ? (places[0] ?? 0) - 1 : (places.at(-1) ?? 0) + 1;
    if (!entries.value[beyond]) return;
    await put([...moving], by < 0 ? beyond : beyond + 1, entry.id);
  }

  /** Puts entries, of this list or of others, before the one at a place, or the first after it that is not among them; at the end where there is none. */
  async function put(ids: readonly number[], at: number, marked?: number): Promise<void> {
    const isAlone = ids.length === 1 && entries.value[at]?.id === ids[0];
    if (ids.length === 0 || isAlone) return;
    const before = entries.value.slice(at).find(({ id }) => !ids.includes(id))?.id ?? null;
    const body = { entryIds: [...ids], before };
    await ask(() => server.call('takePullEntries', { params: { id: listId() }, body }), marked);
  }

  watch(
    listId,
    () => {
      entries.value = [];
      chosen.value = new Set();
      void load();
    },
    { immediate: true },
  );
  onScopeDispose(events.onPullLists(() => void load()));

  return { entries, isLoaded, current, chosen, comment, remove, choose, concerned, move, put };
}
