import { onScopeDispose, ref, shallowRef, type Ref, type ShallowRef } from 'vue';
import { ApiError } from '../api/client.ts';
import type { Server } from './server.ts';

/** The next page is asked for when so few rows lie below those in view. */
const ROWS_AHEAD = 30;

/** Rows of a preview, and where the next ones begin. */
interface PreviewPage<Row, From> {
  rows: Row[];
  next: From | null;
}

/**
 * What something would change, page by page, and how much in all; or what is at fault with it. `asked` is what would be done, and with what; undefined while there is nothing to be
 * tried. Asking anew gives up what was asked before.
 */
export function usePreview<Asked, Row, From, Count>(
  asked: Readonly<Ref<Asked | undefined>>,
  ask: {
    page: (asked: Asked, from: From | undefined, signal: AbortSignal) => Promise<PreviewPage<Row, From>>;
    count: (asked: Asked, signal: AbortSignal) => Promise<Count>;
  },
  server: Pick<Server, 'attempt'>,
) {
  const rows = shallowRef<Row[]>([]);
  const next = shallowRef<From | null>(null);
  const counts: ShallowRef<Count | undefined> = shallowRef();
  const fault = ref('');
  let asking = new AbortController();
  let loading = false;

  function show(page: PreviewPage<Row, From>): void {
    rows.value = page.rows;
    next.value = page.next;
  }

  /** Asks anew, from the first row. */
  async function preview(): Promise<void> {
    asking.abort();
    asking = new AbortController();
    const { signal } = asking;
    loading = false;
    fault.value = '';
    counts.value = undefined;
    const { value } = asked;
    if (value === undefined) return show({ rows: [], next: null });
    try {
      const page = await ask.page(value, undefined, signal);
      if (signal.aborted) return;
      show(page);
      const all = await ask.count(value, signal);
      if (!signal.aborted) counts.value = all;
    } catch (error) {
      if (signal.aborted) return;
      if (!(error instanceof ApiError)) throw error;
      show({ rows: [], next: null });
      fault.value = `${error.body.message} ${error.body.remedy}`;
    }
  }

  /** Loads the next page when the view comes near the end of what is there. */
  async function needUpTo(index: number): Promise<void> {
    const { value } = asked;
    const from = next.value;
    if (index <= rows.value.length - ROWS_AHEAD || loading || from === null || value === undefined) return;
    loading = true;
    const { signal } = asking;
    const page = await server.attempt(() => ask.page(value, from, signal));
    if (signal.aborted) return;
    loading = false;
    if (page) show({ rows: [...rows.value, ...page.rows], next: page.next });
  }

  onScopeDispose(() => asking.abort());

  return { rows, next, counts, fault, preview, needUpTo };
}
