import { useLocalStorage } from '@vueuse/core';
import { defineStore } from 'pinia';
import { z } from 'zod';
import { computed } from 'vue';

const addressSchema = z.record(z.string(), z.string());
/** What the address bar says of one search. */
export type SearchAddress = z.infer<typeof addressSchema>;

const tabsSchema = z.array(z.object({ id: z.number().int(), address: addressSchema }));
type SearchTab = z.infer<typeof tabsSchema>[number];

const sameAddress = (one: SearchAddress, other: SearchAddress): boolean =>
  JSON.stringify(Object.entries(one).sort()) === JSON.stringify(Object.entries(other).sort());

/** Searches that are open at the same time, each with its address; they are kept in this browser. */
export const useSearchTabs = defineStore('searchTabs', () => {
  const kept = useLocalStorage<unknown>('flagstone.searchTabs', []);
  /** What a browser kept may be of another version: it is read as anything else that comes from outside. */
  const tabs = computed<SearchTab[]>({
    get: () => tabsSchema.safeParse(kept.value).data ?? [],
    set: (next) => (kept.value = next),
  });
  const currentId = useLocalStorage('flagstone.searchTab', 0);
  const current = computed(() => tabs.value.find(({ id }) => id === currentId.value) ?? tabs.value[0]);

  /** Opens a tab behind the others and makes it the current one. */
  function open(address: SearchAddress): void {
    const id = 1 + Math.max(0, ...tabs.value.map((tab) => tab.id));
    tabs.value = [...tabs.value, { id, address }];
    currentId.value = id;
  }

  /**
   * Takes an address with which somebody comes to the catalogue: a tab that has it already, the current one when it shows everything, else one of its own, so
   * that a link never replaces a search.
   */
  function enter(address: SearchAddress): void {
    const { value: now } = current;
    const known = [...(now ? [now] : []), ...tabs.value].find((tab) => sameAddress(tab.address, address));
    if (known) currentId.value = known.id;
    else if (now && Object.keys(now.address).length === 0) follow(address);
    else open(address);
  }

  /** The current tab goes where the address bar goes. */
  function follow(address: SearchAddress): void {
    const id = current.value?.id;
    tabs.value = tabs.value.map((tab) => (tab.id === id ? { id, address } : tab));
    if (id !== undefined) currentId.value = id;
  }

  /** Closes a tab; its neighbour becomes the current one. The last one stays. */
  function close(id: number): void {
    if (tabs.value.length < 2) return;
    const at = tabs.value.findIndex((tab) => tab.id === id);
    tabs.value = tabs.value.filter((tab) => tab.id !== id);
    if (currentId.value === id) currentId.value = tabs.value[Math.min(at, tabs.value.length - 1)]?.id ?? 0;
  }

  /** Makes the next tab the current one, the first after the last. */
  function next(by: 1 | -1 = 1): void {
    const at = tabs.value.findIndex(({ id }) => id === current.value?.id);
    currentId.value = tabs.value[(at + by + tabs.value.length) % tabs.value.length]?.id ?? 0;
  }

  return { tabs, currentId, current, open, enter, follow, close, next };
});
