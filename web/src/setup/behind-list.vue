<script setup lang="ts">
import type { BehindList, UnknownCategory } from '@flagstone/contract/category-lists';
import { valueInLine } from '@flagstone/core/query/begun-term';
import { useDebounceFn } from '@vueuse/core';
import { ElButton } from 'element-plus';
import { computed, onBeforeUnmount, ref, shallowRef, watch } from 'vue';
import { call } from '../api/client.ts';
import { changedInWords } from '../ui/changed-in-words.ts';
import { counted } from '../ui/format.ts';
import { showingErrors, tell } from '../ui/use-errors.ts';
import { useCategories } from '../stores/categories.ts';
import { useLive } from '../stores/live.ts';
import { useRights } from '../stores/rights.ts';
import { saidMoves, withLikely, type CategoryMoveRow, type CategoryMoves } from './category-moves.ts';
import CategoryMovesTable from './category-moves.vue';

/** What is behind the list in force: records with CatIDs that it does not have, and files that say or are called what a list of before said. */
const emit = defineEmits<{ plan: [] }>();

const categories = useCategories();
const live = useLive();
const rights = useRights();
const behind = shallowRef<BehindList>();
const moves = ref<CategoryMoves>({});
const working = ref(false);

let loading = false;

async function load(): Promise<void> {
  if (!rights.may('librarian')) return;
  // Of a million copies it takes seconds: never twice at once.
  if (loading) return loadSoon();
  loading = true;
  const found = await showingErrors(() => call('getBehindList'));
  loading = false;
  if (!found) return;
  behind.value = found;
  moves.value = Object.fromEntries(found.unknown.map(({ catId }) => [catId, moves.value[catId] ?? '']));
}
const loadSoon = useDebounceFn(load, 1000);
watch(() => categories.list, load, { immediate: true });
onBeforeUnmount(live.onRecords(() => void loadSoon()));

const HOW: Record<NonNullable<UnknownCategory['how']>, string> = {
  renamed: 'has its names now',
  likely: 'the likest',
  spelt: 'spelt nearly so',
};

const unknown = computed<CategoryMoveRow[]>(() =>
  (behind.value?.unknown ?? []).map(({ how, ...row }) => ({ ...row, ...(how ? { why: HOW[how] } : {}) })),
);
const more = computed(() => behind.value?.more ?? 0);
const files = computed(() => (behind.value?.writes ?? 0) + (behind.value?.renames ?? 0));
const chosen = computed(() => unknown.value.filter(({ catId }) => (moves.value[catId] ?? '') !== ''));
const moving = computed(() => chosen.value.reduce((sum, { records }) => sum + records, 0));
const hasLikely = computed(() => unknown.value.some(({ catId, likely }) => likely && moves.value[catId] === ''));

async function move(): Promise<void> {
  working.value = true;
  const result = await showingErrors(() => call('moveCategories', { body: { moves: saidMoves(moves.value) } }));
  working.value = false;
  if (!result) return;
  tell(changedInWords(result), 'u takes it back as one. Their files follow when you bring them up to date.');
  await load();
}
</script>

<template>
  <section v-if="unknown.length + files > 0" class="behind" aria-label="Behind the list">
    <div v-if="files > 0" class="line">
      <span class="mark"
        >▲ {{ counted(behind?.writes ?? 0, 'file states', 'files state') }} a category otherwise than this list,
        {{ counted(behind?.renames ?? 0, 'file name begins', 'file names begin') }} with an earlier CatID.</span
      >
      <el-button size="small" @click="emit('plan')">Bring these files up to date…</el-button>
    </div>
    <template v-if="unknown.length > 0">
      <div class="line">
        <span class="mark"
          >▲ {{ counted(unknown.length + more, 'CatID', 'CatIDs') }} of records
          {{ unknown.length + more === 1 ? 'is' : 'are' }} not on this list<template v-if="more > 0"
            >, here those of most records</template
          ><template v-if="!rights.isAdministrator">; an administrator says where they go</template>.</span
        >
        <template v-if="rights.isAdministrator">
          <el-button v-if="hasLikely" size="small" @click="moves = withLikely(moves, unknown)"
            >Take the likeliest for all</el-button
          >
          <el-button size="small" type="primary" :loading="working" :disabled="moving === 0" @click="move"
            >Move {{ counted(moving, 'record') }}</el-button
          >
        </template>
      </div>
      <div class="plain-scroll table panel">
        <category-moves-table
          v-model="moves"
          :rows="unknown"
          :list="categories.list"
          :may-move="rights.isAdministrator"
        >
          <template #records="{ catId, records }">
            <router-link :to="{ path: '/catalogue', query: { q: `catid:=${valueInLine(catId)}` } }">{{
              records.toLocaleString('en')
            }}</router-link>
          </template>
        </category-moves-table>
      </div>
    </template>
  </section>
</template>

<style scoped>
.behind {
  margin: 8px 0;
}

.line {
  display: flex;
  gap: 8px;
  align-items: center;
  margin: 4px 0;
}

.mark {
  color: var(--ochre-ink);
}

.table {
  max-height: 220px;
  padding: 0 12px;
}
</style>
