<script setup lang="ts">
import type { CategoryCounts, Facets, HitCount } from '@flagstone/contract/facets';
import type { ListFilter } from '@flagstone/contract/selection';
import { useDebounceFn } from '@vueuse/core';
import { onBeforeUnmount, ref, watch } from 'vue';
import { call } from '../api/client.ts';
import { useAsking } from '../ui/use-asking.ts';
import { showingErrors } from '../ui/use-errors.ts';
import { useLive } from '../stores/live.ts';
import CategoryList from './category-list.vue';
import CollectionChoice from './collection-choice.vue';
import FacetIndex from './facet-index.vue';

/** The index on the left: categories and subcategories with their counts under the current words. */
const props = defineProps<{ filter: ListFilter }>();
const emit = defineEmits<{
  choose: [category: string, catId: string];
  collections: [chosen: string];
  toggle: [term: string];
  counted: [total: HitCount];
}>();

/** The rows come first. */
const REST_MS = 200;

const counts = ref<CategoryCounts['categories']>([]);
const facets = ref<Facets>();
/** Whether the counts are still those of another search: entries may move yet. */
const isBusy = ref(false);
/** Stands before counts that are in proportion to a sample. */
const about = ref('');
const ask = useAsking();
async function load(): Promise<void> {
  const signal = ask();
  const { filter } = props;
  const answer = await showingErrors(() => call('countIndex', { query: filter, signal }));
  // Of another filter by now: it is asked for in a moment.
  if (signal.aborted || JSON.stringify(filter) !== JSON.stringify(props.filter)) return;
  isBusy.value = false;
  if (!answer) return;
  counts.value = answer.categories.categories;
  about.value = answer.categories.isApproximate ? '≈' : '';
  facets.value = answer.facets;
  emit('counted', answer.total);
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
</script>

<template>
  <nav class="index" aria-label="Index" :aria-busy="isBusy">
    <collection-choice :chosen="filter.collection" @choose="(chosen) => emit('collections', chosen)" />
    <slot />
    <h2>Categories</h2>
    <category-list
      :counts="counts"
      :about="about"
      :category="filter.category"
      :cat-id="filter.catId"
      @choose="(category, catId) => emit('choose', category, catId)"
    />
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
</style>
