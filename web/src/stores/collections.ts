import type { Collection } from '@flagstone/contract/collections';
import { defineStore } from 'pinia';
import { computed, ref } from 'vue';
import { call } from '../api/client.ts';
import { useLive } from './live.ts';
import { showingErrors } from '../ui/use-errors.ts';

/** The collections, shared by the places that choose among them; whoever changes them hands the answer to `set`. */
export const useCollections = defineStore('collections', () => {
  const list = ref<Collection[]>([]);
  const open = computed(() => list.value.filter((each) => !each.retired));

  async function load(): Promise<void> {
    await showingErrors(async () => {
      list.value = await call('listCollections');
    });
  }

  // Where nobody looks at them they are not asked for.
  useLive().onAnything(() => void (list.value.length > 0 && load()));

  function set(now: Collection[]): void {
    list.value = now;
  }

  const nameOf = (id: number): string => list.value.find((each) => each.id === id)?.name ?? `no. ${id}`;

  return { list, open, load, set, nameOf };
});
