<script setup lang="ts">
import type { SavedSearch } from '@flagstone/contract/saved-searches';
import { useLocalStorage } from '@vueuse/core';
import { ElButton, ElCheckbox, ElDialog, ElInput } from 'element-plus';
import { computed, ref, watch } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import { useSavedSearches } from './saved-searches-store.ts';

/** Searches that are kept and stay live, with what they find and what arrived since; and the last ones that were made. */
const props = defineProps<{ line: string; also: string }>();
const route = useRoute();
const router = useRouter();
const saved = useSavedSearches();

const asking = ref(false);
const name = ref('');
const shared = ref(false);
/** What of the address belongs to a search. */
const query = computed(() =>
  Object.fromEntries(
    Object.entries(route.query).filter((entry): entry is [string, string] => typeof entry[1] === 'string'),
  ),
);
const isSearch = computed(() => Object.keys(query.value).length > 0);
const isCurrent = ({ query: other }: SavedSearch): boolean =>
  JSON.stringify(Object.entries(other).sort()) === JSON.stringify(Object.entries(query.value).sort());

function ask(): void {
  name.value = query.value['q'] ?? query.value['category'] ?? '';
  asking.value = true;
}

async function keep(): Promise<void> {
  asking.value = false;
  // As it was read when it was kept, with what stands beside its words: it goes on to find what it shows now.
  const read: Record<string, string> =
    props.line === '' ? {} : { q: props.line, widen: props.also === '' ? 'off' : props.also };
  const kept = { ...query.value, ...read };
  await saved.save(name.value.trim(), kept, shared.value);
  await router.replace({ query: kept });
}

async function open(search: SavedSearch): Promise<void> {
  await router.push({ path: '/catalogue', query: search.query });
  await saved.visit(search.id);
}

const MOST_RECENT = 6;
const RECENT_MS = 2500;
const recent = useLocalStorage<string[]>('flagstone.recentSearches', []);
let resting: ReturnType<typeof setTimeout> | undefined;
// A line counts as a search of its own once it stood for a moment.
watch(
  () => query.value['q'] ?? '',
  (line) => {
    clearTimeout(resting);
    const trimmed = line.trim();
    if (trimmed.length < 2) return;
    resting = setTimeout(() => {
      recent.value = [trimmed, ...recent.value.filter((each) => each !== trimmed)].slice(0, MOST_RECENT);
    }, RECENT_MS);
  },
  { immediate: true },
);
</script>

<template>
  <section v-if="saved.list.length > 0 || isSearch || recent.length > 0" class="searches" aria-label="Searches">
    <template v-if="saved.list.length > 0 || isSearch">
      <h2>Saved searches</h2>
      <div v-for="search in saved.list" :key="search.id" class="one">
        <button
          type="button"
          class="index-entry"
          :class="{ current: isCurrent(search) }"
          :title="search.own ? (search.shared ? 'Yours, shared' : 'Yours') : `Shared by ${search.person}`"
          @click="open(search)"
        >
          <span class="name">{{ search.name }}{{ search.own ? '' : ` (${search.person})` }}</span>
          <span class="count"
            ><strong v-if="search.arrived > 0" class="new">+{{ search.arrived.toLocaleString('en') }} new</strong>
            {{ search.isApproximate ? '≈' : '' }}{{ search.count.toLocaleString('en') }}</span
          >
        </button>
        <button
          v-if="search.own"
          type="button"
          class="in-line-button forget"
          :aria-label="`Forget the search ${search.name}`"
          @click="saved.remove(search.id)"
        >
          ✕
        </button>
      </div>
      <button v-if="isSearch && !saved.list.some(isCurrent)" type="button" class="index-entry keep" @click="ask">
        + Keep this search
      </button>
    </template>
    <details v-if="recent.length > 0">
      <summary>Recent</summary>
      <button
        v-for="words in recent"
        :key="words"
        type="button"
        class="index-entry"
        @click="router.push({ path: '/catalogue', query: { q: words } })"
      >
        <span class="name">{{ words }}</span>
      </button>
    </details>
    <el-dialog v-model="asking" title="Keep this search" width="380" append-to-body>
      <p class="soft">It stays live: it counts what it finds now, and marks what came since you last looked.</p>
      <el-input v-model="name" aria-label="Name of the search" maxlength="80" @keydown.enter="name.trim() && keep()" />
      <el-checkbox v-model="shared">Others see it too</el-checkbox>
      <template #footer>
        <el-button @click="asking = false">Cancel</el-button>
        <el-button type="primary" :disabled="name.trim() === ''" @click="keep">Keep it</el-button>
      </template>
    </el-dialog>
  </section>
</template>

<style scoped>
.searches {
  margin-bottom: 8px;
  padding-bottom: 8px;
  border-bottom: 1px solid var(--hairline);
}

.name {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}

.one {
  position: relative;
}

.forget {
  position: absolute;
  top: 1px;
  right: 2px;
  opacity: 0;
}

.one:hover .forget,
.forget:focus-visible {
  opacity: 1;
}

.new {
  color: var(--lichen);
}

.keep {
  color: var(--lichen);
}

summary {
  padding: 2px 12px;
  color: var(--ink-soft);
  cursor: pointer;
}
</style>
