<script setup lang="ts">
import type { ListComparison, WantedList } from '@flagstone/contract/category-lists';
import { CategoryList } from '@flagstone/core/ucs/category-list';
import { ElButton, ElInput } from 'element-plus';
import { computed, ref, watch } from 'vue';
import { call } from '../api/client.ts';
import { counted } from '../ui/format.ts';
import { showingErrors, tell } from '../ui/use-errors.ts';
import { saidMoves, withLikely, type CategoryMoveRow, type CategoryMoves } from './category-moves.ts';
import CategoryMovesTable from './category-moves.vue';

/** What another release of the category list would change, and where the records of categories that go are to move. */
const props = defineProps<{ wanted: WantedList }>();
const emit = defineEmits<{ close: [] }>();

const comparison = ref<ListComparison>();
const source = ref('');
const moves = ref<CategoryMoves>({});
const working = ref(false);

watch(
  () => props.wanted,
  async (list) => {
    comparison.value = await showingErrors(() => call('compareCategoryList', { body: { list } }));
    if (!comparison.value) return emit('close');
    source.value = comparison.value.source;
    // A likely category is only offered: a guess never moves records by itself.
    moves.value = Object.fromEntries(comparison.value.removed.map(({ from }) => [from.catId, '']));
  },
  { immediate: true },
);

const list = computed(() => new CategoryList(comparison.value?.source ?? '', comparison.value?.categories ?? []));
const allRows = computed<CategoryMoveRow[]>(() =>
  (comparison.value?.removed ?? []).map(({ from, likely, records }) => {
    return { catId: from.catId, names: `${from.category}, ${from.subCategory}`, records, likely };
  }),
);
const gone = computed(() => allRows.value.filter(({ records }) => records > 0));
const unusedGone = computed(() => (comparison.value?.removed.length ?? 0) - gone.value.length);
const sum = (counts: { records: number }[]): number => counts.reduce((total, { records }) => total + records, 0);
const moving = computed(
  () => sum(comparison.value?.renamed ?? []) + sum(gone.value.filter(({ catId }) => (moves.value[catId] ?? '') !== '')),
);
const staying = computed(() => sum(gone.value.filter(({ catId }) => (moves.value[catId] ?? '') === '')));

async function adopt(): Promise<void> {
  working.value = true;
  const result = await showingErrors(() =>
    call('adoptCategoryList', { body: { list: props.wanted, source: source.value, moves: saidMoves(moves.value) } }),
  );
  working.value = false;
  if (!result) return;
  tell(
    `“${source.value}” is in force: ${counted(result.changed, 'record')} moved`,
    'u takes the records back; the list before stays kept here.',
  );
  emit('close');
}
</script>

<template>
  <p v-if="!comparison" class="soft" role="status">Reading the list…</p>
  <section v-else class="release" aria-label="Difference to the list in force">
    <header>
      <label class="name"
        >Called <el-input v-model="source" aria-label="What the list is called" maxlength="200"
      /></label>
      <p role="status">
        {{ counted(comparison.categories.length, 'category', 'categories') }}:
        <strong>{{ comparison.added.length }}</strong> added, <strong>{{ comparison.renamed.length }}</strong> renamed,
        <strong>{{ comparison.removed.length }}</strong> removed, {{ comparison.reworded }} with other words.
      </p>
      <span class="acts">
        <el-button @click="emit('close')">Leave it</el-button>
        <el-button type="primary" :loading="working" :disabled="source.trim() === ''" @click="adopt"
          >Take this list and move {{ counted(moving, 'record') }}</el-button
        >
      </span>
    </header>
    <p v-if="staying > 0" class="staying">
      ▲ {{ counted(staying, 'record keeps', 'records keep') }} a CatID that the new list does not have, until you say
      where they go.
      <el-button size="small" @click="moves = withLikely(moves, allRows)">Take the likeliest for all</el-button>
    </p>
    <template v-if="gone.length > 0">
      <h2>Removed, with records</h2>
      <category-moves-table v-model="moves" :rows="gone" :list="list" may-move />
    </template>
    <p v-if="unusedGone > 0" class="soft">
      {{ counted(unusedGone, 'removed category has', 'removed categories have') }} no records.
    </p>
    <template v-if="comparison.renamed.length > 0">
      <h2>Renamed: their records follow</h2>
      <table class="plain">
        <thead>
          <tr>
            <th>Was</th>
            <th>Is</th>
            <th class="number">Records</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="{ from, to, records } in comparison.renamed" :key="from.catId">
            <td>
              <span class="mono">{{ from.catId }}</span>
              <span class="soft">{{ from.category }}, {{ from.subCategory }}</span>
            </td>
            <td>
              <span class="mono">{{ to.catId }}</span> <span class="soft">{{ to.category }}, {{ to.subCategory }}</span>
            </td>
            <td class="number">{{ records.toLocaleString('en') }}</td>
          </tr>
        </tbody>
      </table>
    </template>
    <template v-if="comparison.added.length > 0">
      <h2>Added</h2>
      <p v-for="category in comparison.added" :key="category.catId" class="added">
        <span class="mono">{{ category.catId }}</span> {{ category.category }}, {{ category.subCategory }}
        <span class="soft">{{ category.meaning }}</span>
      </p>
    </template>
  </section>
</template>

<style scoped>
header {
  display: flex;
  gap: 16px;
  align-items: center;
}

header p {
  flex: 1;
}

.name {
  display: inline-flex;
  gap: 8px;
  align-items: center;
  width: 300px;
}

.acts {
  flex: none;
}

.mono + .soft {
  margin-left: 8px;
}

h2 {
  margin: 16px 0 4px;
}

table {
  background: var(--surface);
}

.staying {
  color: var(--ochre-ink);
}

.release {
  overflow: auto;
  max-height: calc(100vh - 200px);
}

.added {
  margin: 0;
}
</style>
