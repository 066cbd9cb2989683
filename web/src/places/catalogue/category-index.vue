<script setup lang="ts">
import type { CategoryCounts, Facets } from '@flagstone/contract/facets';
import type { ListFilter } from '@flagstone/contract/selection';
import { useDebounceFn } from '@vueuse/core';
import { computed, onBeforeUnmount, ref, watch } from 'vue';
import { call } from '../../api/client.ts';
import { useAsking } from '../../composables/use-asking.ts';
import { showingErrors } from '../../composables/use-errors.ts';
import { useLive } from '../../stores/live.ts';
import CollectionChoice from './collection-choice.vue';
import FacetIndex from './facet-index.vue';

/** The index on the left: categories and subcategories with their counts under the current words. */
const props = defineProps<{ filter: ListFilter }>();
const emit = defineEmits<{
  choose: [category: string, catId: string];
  collections: [chosen: string];
  toggle: [term: string];
}>();

type Count = CategoryCounts['categories'][number];
/** The rows come first. */
const REST_MS = 200;

const counts = ref<Count[]>([]);
const facets = ref<Facets>();
/** Whether the counts are still those of another search: entries may move yet. */
const isBusy = ref(false);
/** Stands before counts that are in proportion to a sample. */
const about = ref('');
const groups = computed(() => {
  const byCategory = new Map<string, { category: string; count: number; members: Count[] }>();
  for (const entry of counts.value) {
    const group = byCategory.get(entry.category) ?? { category: entry.category, count: 0, members: [] };
    group.count += entry.count;
    group.members.push(entry);
    byCategory.set(entry.category, group);
  }
  return [...byCategory.values()].sort(
    (a, b) => Number(a.category === '') - Number(b.category === '') || a.category.localeCompare(b.category),
  );
});
const total = computed(() => counts.value.reduce((sum, entry) => sum + entry.count, 0));

const ask = useAsking();
async function load(): Promise<void> {
  const signal = ask();
  const answer = await showingErrors(() => call('countIndex', { query: props.filter, signal }));
  if (signal.aborted) return;
  isBusy.value = false;
  if (!answer) return;
  counts.value = answer.categories.categories;
  about.value = answer.categories.isApproximate ? '≈' : '';
  facets.value = answer.facets;
}
const loadSoon = useDebounceFn(load, REST_MS);

watch(
  () => JSON.stringify(props.filter),
  () => {
    isBusy.value = true;
    void loadSoon();
  },
  { immediate: true },
);
onBeforeUnmount(useLive().onRecords(() => void loadSoon()));

const isOpen = (category: string): boolean => props.filter.category === category && category !== '';
</script>

<template>
  <nav class="index" aria-label="Index" :aria-busy="isBusy">
    <collection-choice :chosen="filter.collection" @choose="(chosen) => emit('collections', chosen)" />
    <slot />
    <h2>Categories</h2>
    <button
      type="button"
      class="index-entry"
      :class="{ current: filter.category === '' && filter.catId === '' }"
      @click="emit('choose', '', '')"
    >
      <span>Everything</span><span class="count">{{ about }}{{ total.toLocaleString('en') }}</span>
    </button>
    <template v-for="group in groups" :key="group.category">
      <button
        v-if="group.category !== ''"
        type="button"
        class="index-entry"
        :class="{ current: isOpen(group.category) && filter.catId === '' }"
        :aria-expanded="isOpen(group.category)"
        @click="emit('choose', group.category, '')"
      >
        <span>{{ isOpen(group.category) ? '▾' : '▸' }} {{ group.category }}</span
        ><span class="count">{{ about }}{{ group.count.toLocaleString('en') }}</span>
      </button>
      <p v-else class="index-entry soft">
        <span>No category yet</span><span class="count">{{ about }}{{ group.count.toLocaleString('en') }}</span>
      </p>
      <template v-if="isOpen(group.category)">
        <button
          v-for="member in group.members"
          :key="member.subCategory + member.catId"
          type="button"
          class="index-entry member"
          :class="{ current: filter.catId === member.catId }"
          @click="emit('choose', group.category, filter.catId === member.catId ? '' : member.catId)"
        >
          <span>{{ member.subCategory }}</span><span class="count"
            >{{ about }}{{ member.count.toLocaleString('en') }}</span
          >
        </button>
      </template>
    </template>
    <facet-index v-if="facets" :filter="filter" :found="facets" @toggle="(term) => emit('toggle', term)" />
  </nav>
</template>

<style scoped>
.index {
  overflow: auto;
  padding: 8px 0;
  border-right: 1px solid var(--hairline);
  background: var(--ground);
}

.member {
  padding-left: 28px;
}
</style>
