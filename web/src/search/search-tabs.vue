<script setup lang="ts">
import { nextTick, onMounted, ref, watch } from 'vue';
import { useRoute, useRouter, type LocationQuery } from 'vue-router';
import { useKeys } from '../ui/use-keys.ts';
import { useNarrowingWords } from '../lists/narrowing-words.ts';
import { useSearchTabs, type SearchAddress } from './search-tabs-store.ts';

/** The searches that are open, one of which is shown; the address bar holds that one. */
const route = useRoute();
const router = useRouter();
const tabs = useSearchTabs();
const list = ref<HTMLElement>();

const addressOf = (query: LocationQuery): SearchAddress =>
  Object.fromEntries(
    Object.entries(query).flatMap(([key, value]) => (typeof value === 'string' ? [[key, value]] : [])),
  );

const show = (address: SearchAddress): void => void router.replace({ query: address });

tabs.enter(addressOf(route.query));
watch(
  () => route.query,
  (query) => {
    if (route.path === '/catalogue') tabs.follow(addressOf(query));
  },
);

function choose(id: number): void {
  tabs.currentId = id;
  show(tabs.current?.address ?? {});
}

function open(): void {
  tabs.open({});
  show({});
}

function close(id: number): void {
  tabs.close(id);
  show(tabs.current?.address ?? {});
}

async function step(by: 1 | -1): Promise<void> {
  tabs.next(by);
  show(tabs.current?.address ?? {});
  await nextTick();
  if (list.value?.contains(document.activeElement))
    list.value.querySelector<HTMLElement>('[role="tab"][aria-selected="true"]')?.focus();
}

const narrowingWords = useNarrowingWords(() => tabs.tabs.map(({ address }) => address));
function titleOf(address: SearchAddress): string {
  const { q, catId, category } = address;
  const narrowed = narrowingWords(address).map(({ text }) => text);
  return [q?.trim(), catId ?? category, ...narrowed].filter(Boolean).join(' · ') || 'Everything';
}

/** With many searches the row of tabs is longer than it can be shown. */
const reveal = (): void =>
  list.value?.querySelector('.current')?.scrollIntoView({ block: 'nearest', inline: 'nearest' });
watch(() => [tabs.currentId, tabs.tabs.length], reveal, { flush: 'post' });
onMounted(reveal);

useKeys('catalogue', {
  n: open,
  q: () => {
    if (tabs.tabs.length < 2) return false;
    void step(1);
    return true;
  },
});
</script>

<template>
  <div class="tabs">
    <div ref="list" role="tablist" aria-label="Searches" class="list">
      <span v-for="tab in tabs.tabs" :key="tab.id" class="tab" :class="{ current: tab.id === tabs.current?.id }">
        <button
          type="button"
          role="tab"
          class="own"
          :aria-selected="tab.id === tabs.current?.id"
          :tabindex="tab.id === tabs.current?.id ? 0 : -1"
          :title="titleOf(tab.address)"
          @click="choose(tab.id)"
          @keydown.right.stop.prevent="step(1)"
          @keydown.left.stop.prevent="step(-1)"
        >
          {{ titleOf(tab.address) }}
        </button>
        <button
          v-if="tabs.tabs.length > 1"
          type="button"
          class="close"
          :aria-label="`Close the search ${titleOf(tab.address)}`"
          @click="close(tab.id)"
        >
          ✕
        </button>
      </span>
    </div>
    <button type="button" class="in-line-button new" @click="open">+ Another search <kbd>n</kbd></button>
  </div>
</template>

<style scoped>
.tabs {
  display: flex;
  gap: 8px;
  align-items: center;
  padding: 4px 12px 0;
  background: var(--ground);
}

.list {
  display: flex;
  gap: 2px;
  min-width: 0;
  overflow-x: auto;
  scrollbar-width: none;
}

.tab {
  display: flex;
  flex: 0 1 auto;
  min-width: 84px;
  max-width: 280px;
  border: 1px solid var(--hairline);
  border-bottom: 0;
  background: var(--ground);
}

.tab.current {
  flex-shrink: 0;
  background: var(--surface);
  box-shadow: inset 0 2px 0 var(--lichen);
}

.tab button {
  padding: 4px 8px;
  border: 0;
  background: none;
  color: var(--ink);
  font: inherit;
  cursor: pointer;
}

.own {
  flex: 1;
  overflow: hidden;
  text-align: left;
  text-overflow: ellipsis;
  white-space: nowrap;
}

.new {
  white-space: nowrap;
}
</style>
