import type { SoundPage } from '@flagstone/contract/record';
import type { HitCount } from '@flagstone/contract/facets';
import { ref, watch, type Ref } from 'vue';

/** How many sounds a list finds in all: said by its first page, or by whoever counts beside it. */
export function useTotal(filter: Ref<unknown>) {
  const total = ref(0);
  /** The total is in proportion to a sample. */
  const isAbout = ref(false);
  /** There are at least as many as `total`; how many is not known yet. */
  const isCounting = ref(true);
  /** The total is still that of another filter. Another order finds as many. */
  let isOfBefore = true;
  watch(
    () => JSON.stringify(filter.value),
    () => (isOfBefore = true),
    { flush: 'sync' },
  );

  function takeTotal({ count, isApproximate }: HitCount): void {
    // What is known is not made less sure.
    const isKnown = !isOfBefore && !isCounting.value && !isAbout.value;
    if (isApproximate && isKnown) return;
    total.value = count;
    isAbout.value = isApproximate;
    isCounting.value = false;
    isOfBefore = false;
  }

  /** What a page says of it: only the first one does, if any. */
  function takeCount({ rows, next, total: count, isApproximate }: SoundPage): void {
    if (count !== null) takeTotal({ count, isApproximate });
    else if (isOfBefore) {
      total.value = rows.length + Number(next !== null);
      isCounting.value = true;
    }
  }

  return { total, isAbout, isCounting, takeTotal, takeCount };
}
