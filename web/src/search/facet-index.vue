<script setup lang="ts">
import type { Facet, Facets } from '@flagstone/contract/facets';
import type { ListFilter } from '@flagstone/contract/selection';
import { termsIn, withoutField } from '@flagstone/core/query/toggle-term';
import { useLocalStorage } from '@vueuse/core';
import { computed } from 'vue';
import FolderBranch from './folder-branch.vue';

/** What is found, counted by form, channels, length and so on; a click puts the value into the search line, or takes it out. */
const props = defineProps<{ filter: ListFilter; found: Facets }>();
const emit = defineEmits<{ toggle: [term: string] }>();

const LABELS: Record<Facet, string> = {
  form: 'Form',
  channels: 'Channels',
  length: 'Length',
  rate: 'Sample rate',
  depth: 'Bit depth',
  loudness: 'Loudness',
  rating: 'Rating',
  library: 'Library',
  publisher: 'Publisher',
  creator: 'Creator',
  licence: 'Licence',
  container: 'Container',
  drive: 'Drive',
};
const open = useLocalStorage<Facet[]>('flagstone.facets', ['form', 'channels', 'length']);
const isAsked = computed(() => termsIn(props.filter.q));
const foldersOpen = useLocalStorage('flagstone.foldersOpen', false);

function turn(facet: Facet): void {
  open.value = open.value.includes(facet) ? open.value.filter((each) => each !== facet) : [...open.value, facet];
}
</script>

<template>
  <section class="facets" aria-label="Narrow by what was found">
    <button type="button" class="index-entry group" :aria-expanded="foldersOpen" @click="foldersOpen = !foldersOpen">
      <span>{{ foldersOpen ? '▾' : '▸' }} Folders</span>
      <span v-if="withoutField(filter.q, 'in') !== undefined" class="on"
        >●<span class="visually-hidden">narrowed</span></span
      >
    </button>
    <folder-branch v-if="foldersOpen" :filter="filter" below="" :depth="1" @toggle="(term) => emit('toggle', term)" />
    <template v-for="{ facet, values } in found.facets" :key="facet">
      <button type="button" class="index-entry group" :aria-expanded="open.includes(facet)" @click="turn(facet)">
        <span>{{ open.includes(facet) ? '▾' : '▸' }} {{ LABELS[facet] }}</span>
        <span v-if="values.some(({ term }) => isAsked(term))" class="on"
          >●<span class="visually-hidden">narrowed</span></span
        >
      </button>
      <template v-if="open.includes(facet)">
        <button
          v-for="value in values"
          :key="value.term"
          type="button"
          class="index-entry member"
          :class="{ current: isAsked(value.term) }"
          :aria-pressed="isAsked(value.term)"
          :title="value.term"
          @click="emit('toggle', value.term)"
        >
          <span class="label">{{ isAsked(value.term) ? '✓ ' : '' }}{{ value.label }}</span
          ><span class="count">{{ found.isApproximate ? '≈' : '' }}{{ value.count.toLocaleString('en') }}</span>
        </button>
      </template>
    </template>
  </section>
</template>

<style scoped>
.facets {
  margin-top: 8px;
  padding-top: 8px;
  border-top: 1px solid var(--hairline);
}

.member {
  padding-left: 28px;
}

.label {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}

.on {
  color: var(--lichen);
}
</style>
