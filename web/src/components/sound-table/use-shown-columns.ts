import { useElementSize, useEventListener } from '@vueuse/core';
import { computed, ref, type Ref } from 'vue';
import { COLUMNS, type Column } from './columns.ts';

/** Width of what stands before the columns: the box to choose a row, and its waveform. */
export const LEADING = 128;
const WIDTH = LEADING + COLUMNS.reduce((sum, { width }) => sum + width, 0);
/** Where each column begins. */
const STARTS = COLUMNS.map((_, at) => LEADING + COLUMNS.slice(0, at).reduce((sum, { width }) => sum + width, 0));
/** Shown beyond the edges, so that a column is there when it comes into view. */
const MARGIN = 200;

/** The columns that are in view or near it: each cell that a row does not have makes scrolling lighter. The first, which stays, is always there. */
export function useShownColumns(scroller: Ref<HTMLElement | undefined>) {
  const x = ref(0);
  useEventListener(scroller, 'scroll', () => (x.value = scroller.value?.scrollLeft ?? 0), { passive: true });
  const { width } = useElementSize(scroller);
  const isShown = (column: Column, at: number): boolean => {
    const start = STARTS[at] ?? 0;
    return (
      at === 0 ||
      width.value === 0 ||
      (start + column.width > x.value - MARGIN && start < x.value + width.value + MARGIN)
    );
  };
  const shown = computed(() => COLUMNS.flatMap((column, at) => (isShown(column, at) ? [{ column, at }] : [])));

  /** Brings a column into view, beside the first one that stays. */
  function reveal(at: number): void {
    const element = scroller.value;
    const [start, column] = [STARTS[at], COLUMNS[at]];
    if (!element || start === undefined || !column || at === 0) return;
    const pinned = COLUMNS[0]?.width ?? 0;
    if (start < element.scrollLeft + pinned) element.scrollLeft = start - pinned;
    else if (start + column.width > element.scrollLeft + element.clientWidth)
      element.scrollLeft = start + column.width - element.clientWidth;
  }

  return { shown, reveal, width: WIDTH };
}
