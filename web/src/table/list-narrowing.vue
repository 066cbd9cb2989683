<script setup lang="ts">
import { COPY_STATES } from '@flagstone/core/record/copy-states';
import { fieldLabel } from '@flagstone/core/record/fields';
import { computed } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import { formatRange, formatWhen } from '../ui/format.ts';
import { useCollections } from '../stores/collections.ts';
import { NARROWINGS, narrowingIn, type Narrowing } from '../lists/list-filter.ts';

/** Says by what the address bar narrows the list, and takes each back. */
const collections = useCollections();
const route = useRoute();
const router = useRouter();

const STATES: Record<string, string> = {
  ...Object.fromEntries(Object.entries(COPY_STATES).map(([state, { shape, word }]) => [state, `${shape} ${word}`])),
  notInStep: 'Not In step',
};
const FOUND_WORDS: Record<string, string> = {
  new: 'New',
  moved: 'Moved',
  changedOutside: 'Changed outside',
  alreadyHeld: 'Already held',
  same: 'The same',
};
const WORDS: { [Key in keyof Narrowing]: (value: string) => string } = {
  collection: (ids) =>
    ids
      .split(',')
      .map((id) => collections.nameOf(Number(id)))
      .join(', '),
  disagrees: (field) => `≠ Disagree on ${fieldLabel(field as never)}`,
  missing: (field) => `○ Without ${fieldLabel(field as never)}`,
  state: (state) => STATES[state] ?? state,
  length: (range) => `Length ${formatRange(range, 's')}`,
  loudness: (range) => `Loudness ${formatRange(range, 'LUFS')}`,
  found: (found) => `Found: ${FOUND_WORDS[found] ?? found}`,
  since: (since) => `Added since ${formatWhen(since)}`,
};

const shown = computed(() => {
  const narrowing = narrowingIn(route.query);
  return NARROWINGS.filter((key) => narrowing[key] !== '').map((key) => ({ key, text: WORDS[key](narrowing[key]) }));
});

function drop(key: keyof Narrowing): void {
  const rest = Object.fromEntries(Object.entries(route.query).filter(([name]) => name !== key));
  void router.replace({ query: rest });
}
</script>

<template>
  <span v-for="{ key, text } in shown" :key="key" class="narrowed">
    Only: {{ text }}
    <button type="button" class="in-line-button" :aria-label="`Show all, not only ${text}`" @click="drop(key)">
      Show all
    </button>
  </span>
</template>

<style scoped>
.narrowed {
  color: var(--ochre-ink);
}
</style>
