<script setup lang="ts">
import type { FolderLevel } from '@flagstone/contract/facets';
import type { ListFilter } from '@flagstone/contract/selection';
import { termsIn } from '@flagstone/core/query/toggle-term';
import { useDebounceFn } from '@vueuse/core';
import { computed, onBeforeUnmount, ref, watch } from 'vue';
import { call } from '../api/client.ts';
import { useAsking } from '../ui/use-asking.ts';
import { showingErrors } from '../ui/use-errors.ts';
import { useLive } from '../stores/live.ts';

/** One level of the tree of folders; a folder's name narrows the list to it, its triangle opens the next level. */
const props = defineProps<{ filter: ListFilter; below: string; depth: number }>();
const emit = defineEmits<{ toggle: [term: string] }>();

const REST_MS = 120;
const INDENT_PX = 12;
const level = ref<FolderLevel>();
const open = ref<string[]>([]);
const isAsked = computed(() => termsIn(props.filter.q));

const ask = useAsking();
async function load(): Promise<void> {
  const signal = ask();
  const query = { ...props.filter, below: props.below };
  const answer = await showingErrors(() => call('listFolderLevel', { query, signal }));
  if (answer && !signal.aborted) level.value = answer;
}
const loadSoon = useDebounceFn(load, REST_MS);
watch(
  () => JSON.stringify(props.filter),
  () => void loadSoon(),
);
void load();
onBeforeUnmount(useLive().onRecords(() => void loadSoon()));

function turn(path: string): void {
  open.value = open.value.includes(path) ? open.value.filter((each) => each !== path) : [...open.value, path];
}
</script>

<template>
  <ul v-if="level" class="level" :aria-label="below === '' ? 'Drives' : `Folders in ${below}`">
    <li v-for="{ name, path, term, count, isParent } in level.folders" :key="path">
      <div class="folder" :style="{ paddingLeft: `${depth * INDENT_PX}px` }">
        <button
          v-if="isParent"
          type="button"
          class="turn"
          :aria-expanded="open.includes(path)"
          :aria-label="`Folders in ${name}`"
          @click="turn(path)"
        >
          {{ open.includes(path) ? '▾' : '▸' }}
        </button>
        <span v-else class="turn" />
        <button
          type="button"
          class="index-entry own"
          :class="{ current: isAsked(term) }"
          :aria-pressed="isAsked(term)"
          :title="path"
          @click="emit('toggle', term)"
        >
          <span class="label">{{ isAsked(term) ? '✓ ' : '' }}{{ name }}</span
          ><span class="count">{{
            count === null ? 'few' : `${level.isApproximate ? '≈' : ''}${count.toLocaleString('en')}`
          }}</span>
        </button>
      </div>
      <folder-branch
        v-if="open.includes(path)"
        :filter="filter"
        :below="path"
        :depth="depth + 1"
        @toggle="(term) => emit('toggle', term)"
      />
    </li>
    <li v-if="level.folders.length === 0" class="soft none">None with what is found</li>
    <li v-if="level.more" class="soft none">More folders than are listed: type in:"…" in the search line</li>
  </ul>
  <p v-else class="soft none">Loading…</p>
</template>

<style scoped>
.level {
  margin: 0;
  padding: 0;
  list-style: none;
}

.folder {
  display: flex;
}

.turn {
  flex: 0 0 20px;
  padding: 0;
  border: 0;
  background: none;
  color: var(--ink);
  cursor: pointer;
}

.own {
  flex: 1;
  min-width: 0;
  padding-left: 4px;
}

.label {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}

.none {
  padding: 2px 12px 2px 34px;
}
</style>
