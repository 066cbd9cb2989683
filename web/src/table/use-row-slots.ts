import { computed, type Ref } from 'vue';

/**
 * The rows in view, each with a slot that it keeps while it is there: a row that leaves at one end comes in again at the other with another
 * sound, which costs less than making one anew. While the list moves, slots also stay where they are in the document; once it rests, they are
 * put into the order of the rows, which is what is read aloud.
 */
export function useRowSlots<Item extends { index: number }>(shown: Ref<readonly Item[]>, isMoving: () => boolean) {
  /** As many slots as rows were ever shown at once. An even number, so that a row stays an odd or an even one. */
  let most = 0;
  let order: number[] = [];
  return computed(() => {
    most = Math.max(most, shown.value.length + (shown.value.length % 2));
    const inSlots = new Map(shown.value.map((item) => [item.index % most, { ...item, slot: item.index % most }]));
    const kept = isMoving() ? order.filter((slot) => inSlots.has(slot)) : [];
    order = [...new Set([...kept, ...inSlots.keys()])];
    return order.flatMap((slot) => inSlots.get(slot) ?? []);
  });
}
