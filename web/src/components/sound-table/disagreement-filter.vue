<script setup lang="ts">
import { fieldLabel } from '@flagstone/core/record/fields';
import { computed } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import { disagreesIn } from '../../composables/list-filter.ts';

/** Says that the list shows only files that disagree with themselves on a field, and takes that back. */
const route = useRoute();
const router = useRouter();
const field = computed(() => disagreesIn(route.query));

function showAll(): void {
  const { disagrees: _, ...rest } = route.query;
  void router.replace({ query: rest });
}
</script>

<template>
  <span v-if="field !== ''" class="narrowed"
    >≠ Only files that disagree on {{ fieldLabel(field) }}
    <button type="button" @click="showAll">Show all</button></span
  >
</template>

<style scoped>
.narrowed {
  color: var(--ochre-ink);
}

button {
  margin-left: 4px;
  padding: 0 8px;
  border: 1px solid var(--hairline);
  background: var(--surface);
  color: var(--ink);
  font: inherit;
  font-size: 12px;
  cursor: pointer;
}
</style>
