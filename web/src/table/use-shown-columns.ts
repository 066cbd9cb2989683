import { useElementSize, useEventListener } from '@vueuse/core';
import { computed, ref, type Ref } from 'vue';
import type { Column } from './columns.ts';

/** Width of what stands before the columns: the box to choose a row, and its waveform. */
export const LEADING = 128;
/** Shown beyond the edges, so that a column is there when it comes into view. */
const MARGIN = 200;

/** The columns that are in view or near it: each cell that a row does not have makes scrolling lighter. The first, which stays, is always there. */
export function useShownColumns(scroller: Ref<HTMLElement | undefined>, columns: Ref<readonly Column[]>) {
  /** Where each column begins, and at the end how wide all are. */
  const starts = computed(() => {
    const sums = [LEADING];
    for (const { width } of columns.value) sums.push((sums.at(-1) ?? 0) + width);
    return sums;
  });
  const x = ref(0);
  useEventListener(scroller, 'scroll', () => (x.value = scroller.value?.scrollLeft ?? 0), {
    passive: true,
    // Before the rows are changed: asked for behind that, the browser would have to lay them out at once.
    capture: true,
  });
  const { width: view } = useElementSize(scroller);
  const isShown = (column: Column, at: number): boolean => {
    const start = starts.value[at] ?? 0;
    return (
      at === 0 || view.value === 0 || (start + column.width > x.value - MARGIN && start < x.value + view.value + MARGIN)
    );
  };
  const shown = computed(() => columns.value.flatMap((column, at) => (isShown(column, at) ? [{ column, at }] : [])));

  /** Brings a column into view, beside the first one that stays. */
  function reveal(at: number): void {
    const element = scroller.value;
    const [start, column] = [starts.value[at], columns.value[at]];
    if (!element || start === undefined || !column || at === 0) return;
    const pinned = columns.value[0]?.width ?? 0;
    if (start < element.scrollLeft + pinned) element.scrollLeft = start - pinned;
    else if (start + column.width > element.scrollLeft + element.clientWidth)
      element.scrollLeft = start + column.width - element.clientWidth;
  }

  return { shown, isAside: computed(() => x.value > 0), reveal, width: computed(() => starts.value.at(-1) ?? LEADING) };
}
