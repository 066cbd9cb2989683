<script setup lang="ts">
import { computed } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import type { Narrowing } from '../lists/list-filter.ts';
import { useNarrowingWords } from '../lists/narrowing-words.ts';

/** Says by what the address bar narrows the list, and takes each back. */
const route = useRoute();
const router = useRouter();
const narrowingWords = useNarrowingWords(() => [route.query]);
const shown = computed(() => narrowingWords(route.query));

function drop(key: keyof Narrowing): void {
  const rest = Object.fromEntries(Object.entries(route.query).filter(([name]) => name !== key));
  void router.replace({ query: rest });
}
</script>

<template>
  <span v-for="{ key, text } in shown" :key="key" class="narrowed">
    Only: {{ text }}
    <button
      type="button"
      class="in-line-button"
      :aria-label="`Show all, not only ${text}`"
      :title="`Show all, not only ${text}`"
      @click="drop(key)"
    >
      ✕
    </button>
  </span>
</template>

<style scoped>
.narrowed {
  color: var(--ochre-ink);
  white-space: nowrap;
}
</style>
