import type { AsOf, SoundPage, SoundRow } from '@flagstone/contract/record';
import {
  sortKeysOf,
  type ListFilter,
  type ListQuery,
  type Selection,
  type SortKey,
} from '@flagstone/contract/selection';
import { computed, onBeforeUnmount, ref, shallowRef, watch, type Ref } from 'vue';
import { useLive } from '../stores/live.ts';
import { usePlayer } from '../player/player-store.ts';
import { showingErrors } from '../ui/use-errors.ts';
import { asOfRows } from './save-edit.ts';
import { useTotal } from './use-total.ts';

/** Small enough that reading a page is not felt while the list is scrolled. */
const PAGE = 100;
/** What is shown at once and some more: while somebody types, each letter asks for a first page. */
const FIRST_PAGE = 50;
const RELOAD_PAGE = 500;

export type SortState = Pick<ListQuery, 'sort' | 'direction' | 'then' | 'seed'>;

/**
 * The rows of a list place: loaded page by page as they come into view, kept up to date while records change, with the current row and the
 * selection. `Select all` is kept as such and sent as a query, never as a list of ids. With `countedBeside`, somebody else counts what the filter finds, and says it
 * by `takeTotal`.
 */
export function useSoundList(
  fetchPage: (query: Partial<ListQuery>, signal: AbortSignal) => Promise<SoundPage>,
  filter: Ref<ListFilter>,
  source: () => Selection,
  sorting: Ref<SortState> = ref({ sort: 'folder', direction: 'asc', then: '', seed: 0 }),
  countedBeside = false,
) {
  const live = useLive();
  const player = usePlayer();
  const rows = shallowRef<SoundRow[]>([]);
  const { total, isAbout, isCounting, takeTotal, takeCount } = useTotal(filter);
  const loading = ref(true);
  const current = ref(-1);
  const chosen = ref<ReadonlySet<number>>(new Set());
  const everything = ref(false);
  let next: string | null = null;
  /** The state of the database that the first of the loaded pages was read from. */
  let snapshot = '';
  /** The copy from which a selection is widened. */
  let anchor: number | undefined;
  let request = new AbortController();
  let fetching = false;

  const currentRow = computed(() => rows.value[current.value]);
  const selectedCount = computed(() => (everything.value ? total.value : chosen.value.size));
  const selectedRows = computed(() =>
    everything.value ? rows.value : rows.value.filter((row) => chosen.value.has(row.copyId)),
  );
  /** What the card shows: the selection, else the current row. */
  const cardCount = computed(() => selectedCount.value || (currentRow.value ? 1 : 0));
  const cardRows = computed(() => {
    if (selectedCount.value > 0) return selectedRows.value;
    return currentRow.value ? [currentRow.value] : [];
  });
  /** What bulk work acts on: everything, the chosen rows, or the current row; undefined when there is none of them. */
  const selection = computed<Selection | undefined>(() => {
    if (everything.value) return source();
    const copyIds = chosen.value.size > 0 ? [...chosen.value] : currentRow.value ? [currentRow.value.copyId] : [];
    return copyIds.length > 0 ? { kind: 'copies', copyIds } : undefined;
  });

  /** The same with chosen rows in the order of the list; those that are not loaded come last. */
  const orderedSelection = computed<Selection | undefined>(() => {
    const given = selection.value;
    if (given?.kind !== 'copies') return given;
    const wanted = new Set(given.copyIds);
    const loaded = rows.value.map(({ copyId }) => copyId).filter((id) => wanted.has(id));
    return { kind: 'copies', copyIds: [...new Set([...loaded, ...wanted])] };
  });

  async function load(limit: number, after?: string, more: Partial<ListQuery> = {}): Promise<SoundPage | undefined> {
    const { signal } = request;
    const query = { ...filter.value, ...sorting.value, limit, ...more, ...(after === undefined ? {} : { after }) };
    const page = await showingErrors(() => fetchPage(query, signal));
    return signal.aborted ? undefined : page;
  }

  /** Starts again from the first row; `keepId` is a copy whose row stays the current one. */
  async function restart(keepId?: number): Promise<void> {
    request.abort();
    request = new AbortController();
    const { signal } = request;
    loading.value = true;
    fetching = false;
    const page = await load(FIRST_PAGE, undefined, countedBeside ? { count: 'free' } : {});
    if (signal.aborted) return;
    // A list that could not be asked for is not an empty one; it is asked for again when the line is back.
    loading.value = page === undefined && !live.connected;
    if (!page) return;
    // Read only now: the row that is heard and marked stays marked wherever it stands among the new ones, and no other row in its place.
    const marked = currentRow.value?.copyId ?? keepId;
    rows.value = page.rows;
    current.value = marked === undefined ? -1 : page.rows.findIndex(({ copyId }) => copyId === marked);
    takeCount(page);
    next = page.next;
    snapshot = page.snapshot;
  }

  /** Loads the next page when the view comes near the end of what is there. */
  async function needUpTo(index: number): Promise<void> {
    // The mark of a list that is being asked for anew says nothing any more.
    const isNear = index >= rows.value.length - Math.min(PAGE / 2, rows.value.length / 4);
    if (next === null || loading.value || fetching || !isNear) return;
    fetching = true;
    const { signal } = request;
    const page = await load(PAGE, next);
    if (signal.aborted) return;
    fetching = false;
    if (!page) return;
    rows.value = [...rows.value, ...page.rows];
    next = page.next;
  }

  /** Asks again for all rows that are loaded, keeping place and selection. */
  async function refresh(): Promise<void> {
    const wanted = Math.max(PAGE, rows.value.length);
    const fresh: SoundRow[] = [];
    let after: string | undefined;
    let since: string | undefined;
    do {
      const page = await load(Math.min(RELOAD_PAGE, wanted - fresh.length), after);
      if (!page) return;
      fresh.push(...page.rows);
      since ??= page.snapshot;
      takeCount(page);
      next = page.next;
      after = page.next ?? undefined;
    } while (fresh.length < wanted && after !== undefined);
    // Read only now: somebody may have gone on to another row while the pages were on their way.
    const keepId = currentRow.value?.copyId;
    rows.value = fresh;
    snapshot = since;
    loading.value = false;
    if (keepId !== undefined) current.value = fresh.findIndex((row) => row.copyId === keepId);
  }

  // Bursts of changes (a plan that runs) are answered with one refresh after the other, never with many at once.
  let refreshing: Promise<void> | undefined;
  let again = false;
  function refreshSoon(): void {
    if (refreshing) {
      again = true;
      return;
    }
    refreshing = refresh().finally(() => {
      refreshing = undefined;
      if (!again) return;
      again = false;
      refreshSoon();
    });
  }

  const stopRecords = live.onRecords(refreshSoon);
  const stopJobs = live.onJob((job) => {
    if (job.kind === 'index' || job.state === 'done') refreshSoon();
  });
  onBeforeUnmount(() => {
    stopRecords();
    stopJobs();
    request.abort();
  });

  const questionOf = ({ also: _, ...asked }: ListFilter): string => JSON.stringify([asked, sorting.value]);
  let question = questionOf(filter.value);
  // Compared by value: going to another step makes a new filter that says the same.
  watch(
    () => JSON.stringify([filter.value, sorting.value]),
    () => {
      const before = question;
      question = questionOf(filter.value);
      // Words that come in beside those typed a moment later find more; whoever has gone to a row by then stays with it.
      if (question === before) return void restart(currentRow.value?.copyId);
      current.value = -1;
      clear();
      void restart();
    },
  );

  /** What is known now of the records of a selection: an edit says so, and overwrites nothing newer. */
  function asOf(of: Selection): AsOf {
    const ids = of.kind === 'copies' ? new Set(of.copyIds) : undefined;
    return asOfRows(ids ? rows.value.filter(({ copyId }) => ids.has(copyId)) : rows.value, snapshot);
  }

  function clear(): void {
    chosen.value = new Set();
    everything.value = false;
  }

  /** Makes a row the current one and puts it on the listening strip. */
  function goTo(index: number, how: 'only' | 'widen' | 'toggle' = 'only'): void {
    const row = rows.value[index];
    if (!row) return;
    const start = how === 'widen' ? rows.value.findIndex(({ copyId }) => copyId === anchor) : -1;
    if (start >= 0) {
      const [from, to] = [Math.min(start, index), Math.max(start, index)];
      chosen.value = new Set(rows.value.slice(from, to + 1).map((each) => each.copyId));
      everything.value = false;
    } else if (how === 'toggle') {
      toggle(index);
      anchor = row.copyId;
    } else {
      clear();
      anchor = row.copyId;
    }
    current.value = index;
    player.show(row);
    // Whoever goes through a list goes on in it.
    player.fetchAhead([index + 1, index - 1].flatMap((next) => rows.value[next] ?? []));
    player.onGoOn(() => {
      const at = rows.value.findIndex(({ copyId }) => copyId === row.copyId);
      if (at >= 0) goTo(at + 1);
    });
    void needUpTo(index);
  }

  /** Puts a row into the selection or takes it out. */
  function toggle(index: number): void {
    const row = rows.value[index];
    if (!row) return;
    const set = new Set(everything.value ? rows.value.map((each) => each.copyId) : chosen.value);
    if (!set.delete(row.copyId)) set.add(row.copyId);
    chosen.value = set;
    everything.value = false;
  }

  /** Goes to the next row that is as asked, loading more rows as needed; false when there is none below the current one. */
  async function goToNext(isWanted: (row: SoundRow) => boolean): Promise<boolean> {
    for (let index = current.value + 1; index < total.value; index += 1) {
      if (index >= rows.value.length) {
        const before = rows.value.length;
        await needUpTo(before);
        if (rows.value.length === before) break;
      }
      const row = rows.value[index];
      if (row && isWanted(row)) {
        goTo(index);
        return true;
      }
    }
    // From the top again: rows above may have been passed over.
    const index = rows.value.slice(0, current.value + 1).findIndex(isWanted);
    if (index < 0) return false;
    goTo(index);
    return true;
  }

  function selectAll(): void {
    everything.value = total.value > 0;
    chosen.value = new Set();
  }

  /** Selects rows that need not be loaded yet, or all. */
  function take(copyIds: readonly number[] | 'all'): void {
    if (copyIds === 'all') return selectAll();
    chosen.value = new Set(copyIds);
    everything.value = false;
  }

  function isSelected(row: SoundRow): boolean {
    return everything.value || chosen.value.has(row.copyId);
  }

  const sortKeys = computed(() => sortKeysOf(sorting.value));

  /** Sorts by a column; the same column again turns the order round. `behind`: within the order there is. */
  function sortBy(sort: SortKey, behind = false): void {
    const at = sortKeys.value.findIndex(({ key }) => key === sort);
    const found = sortKeys.value[at];
    if (!behind) {
      const direction = found && at === 0 && !found.descending ? 'desc' : 'asc';
      sorting.value = { ...sorting.value, sort, direction, then: '' };
      return;
    }
    const [first, ...further] = found
      ? sortKeys.value.map((each) => (each === found ? { ...each, descending: !each.descending } : each))
      : [...sortKeys.value, { key: sort, descending: false }];
    if (!first) return;
    const isTurned = (first.key === 'relevance') !== first.descending;
    const then = further.map(({ key, descending }) => `${descending ? '-' : ''}${key}`).join(',');
    sorting.value = { ...sorting.value, sort: first.key, direction: isTurned ? 'desc' : 'asc', then };
  }

  return {
    rows,
    total,
    isAbout,
    isCounting,
    takeTotal,
    loading,
    sorting,
    sortKeys,
    current,
    currentRow,
    selectedCount,
    cardRows,
    cardCount,
    selection,
    orderedSelection,
    asOf,
    everything,
    restart,
    refresh,
    needUpTo,
    goTo,
    goToNext,
    toggle,
    selectAll,
    take,
    selectedIds: chosen,
    clear,
    isSelected,
    sortBy,
  };
}

export type SoundList = ReturnType<typeof useSoundList>;
