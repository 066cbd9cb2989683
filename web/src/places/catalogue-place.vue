<script setup lang="ts">
import { arrivingKind } from '@flagstone/core/arrivals/arriving-path';
import type { SoundRow } from '@flagstone/contract/record';
import { sortKeySchema, type SortKey } from '@flagstone/contract/selection';
import { rankInWords } from '@flagstone/core/query/explain-rank';
import { wantedOf } from '@flagstone/core/query/found-words';
import { parseQuery } from '@flagstone/core/query/search-query';
import { toggleTerm } from '@flagstone/core/query/toggle-term';
import { ElButton, ElDropdown, ElDropdownItem, ElDropdownMenu, ElOption, ElSelect } from 'element-plus';
import { z } from 'zod';
import { computed, ref, shallowRef, watch } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import { call } from '../api/client.ts';
import CopyOutDialog from '../delivery/copy-out-dialog.vue';
import DeliverDialog from '../delivery/deliver-dialog.vue';
import RecipeDrawer from '../recipes/recipe-drawer.vue';
import SoundCard from '../card/sound-card.vue';
import SoundTable from '../table/sound-table.vue';
import { NARROWINGS, narrowingIn } from '../lists/list-filter.ts';
import { counted } from '../ui/format.ts';
import { leaves } from '../ui/dragged-sounds.ts';
import { useKeys } from '../ui/use-keys.ts';
import { useRecordEdits } from '../lists/use-record-edits.ts';
import { useSoundList, type SortState } from '../lists/use-sound-list.ts';
import { useSoundMarks } from '../lists/use-sound-marks.ts';
import CardMarks from '../card/card-marks.vue';
import ColumnChooser from '../table/column-chooser.vue';
import { meanRating } from '../ui/mean-rating.ts';
import { usePullLists } from '../delivery/pull-lists-store.ts';
import { useRights } from '../stores/rights.ts';
import { useWhereabouts } from '../stores/presence.ts';
import ExportDialog from '../delivery/export-dialog.vue';
import ImportDialog from '../intake/import-dialog.vue';
import SavedSearches from '../search/saved-searches.vue';
import PullTargets from '../delivery/pull-targets.vue';
import SoundsLikeDialog from '../search/sounds-like-dialog.vue';
import RemoveDialog from '../search/remove-dialog.vue';
import SearchTabs from '../search/search-tabs.vue';
import SearchNotes from '../search/search-notes.vue';
import { useQueryReading } from '../search/use-query-reading.ts';
import MakeSheetDialog from '../sheets/make-sheet-dialog.vue';
import PlanDrawer from '../plans/plan-drawer.vue';
import SettleDrawer from '../drift/settle-drawer.vue';
import { useListPlans, type ListPlanKind } from './use-list-plans.ts';
import CategoryIndex from '../search/category-index.vue';

const route = useRoute();
const router = useRouter();
const cooking = ref(false);
const makingSheet = ref(false);
const exporting = ref(false);
const copyingOut = ref(false);
const delivering = ref(false);
const likening = ref(false);
const dropped = ref<File>();
const isDragged = ref(false);
const rowsDragged = ref(false);
const pulls = usePullLists();
/** A sound file from outside, dropped onto the list, is one to compare with. */
function drop(event: DragEvent): void {
  const { dataTransfer } = event;
  isDragged.value = false;
  const [file] = dataTransfer?.files ?? [];
  if (!file || dataTransfer?.items.length !== 1 || arrivingKind(file.name) !== 'sound') return;
  event.preventDefault();
  likening.value = true;
  dropped.value = file;
}
/** Several files, or a pack, are brought in, as everywhere. What a single one is called is told only when it is dropped. */
function drag(event: DragEvent): void {
  if (!event.dataTransfer?.types.includes('Files') || event.dataTransfer.items.length !== 1) return;
  event.preventDefault();
  isDragged.value = true;
}
const importing = ref(false);
const removing = ref(false);
const ORDER: SortState = { sort: 'name', direction: 'asc', then: '', seed: 0 };
/** What the address bar may say of the order; what it does not understand orders nothing. */
const orderSchema = z.object({
  sort: sortKeySchema,
  direction: z.enum(['asc', 'desc']).default('asc'),
  then: z
    .string()
    .max(200)
    .regex(/^(-?[a-zA-Z]+(,-?[a-zA-Z]+)*)?$/)
    .default(''),
  seed: z.coerce.number().int().min(0).max(1_000_000_000).default(0),
});
const card = ref<InstanceType<typeof SoundCard>>();

const rights = useRights();
const text = (value: unknown): string => (typeof value === 'string' ? value : '');
const typed = computed(() => text(route.query['q']));
const reading = useQueryReading(typed);
// The address bar holds the whole state, so that a link shows a colleague the same list.
const filter = computed(() => ({
  q: reading.line.value,
  also: reading.also.value,
  category: text(route.query['category']),
  catId: text(route.query['catId']),
  ...narrowingIn(route.query),
}));
const isNarrowed = computed(() =>
  (['q', 'category', 'catId', ...NARROWINGS] as const).some((key) => filter.value[key] !== ''),
);
const hasWords = computed(() => wanted.value.stems.size + wanted.value.beginnings.length > 0);
const wanted = computed(() => {
  const { query } = parseQuery(filter.value.q, true);
  return wantedOf(
    query,
    filter.value.also.split(',').flatMap((pair) => pair.split('~')[1] ?? []),
  );
});

/** Words are answered with what is most relevant first, unless the address bar says otherwise. */
const order = computed<SortState>({
  get: (): SortState => {
    const { sort, direction, then, seed } = route.query;
    const asked = orderSchema.safeParse({ sort, direction, then, seed }).data;
    return { ...ORDER, sort: hasWords.value ? ('relevance' as const) : ('name' as const), ...asked };
  },
  set: ({ sort, direction, then, seed }) => {
    const { sort: _s, direction: _d, then: _t, seed: _e, ...rest } = route.query;
    const said = {
      sort,
      ...(direction === 'asc' ? {} : { direction }),
      ...(then === '' ? {} : { then }),
      ...(seed === 0 ? {} : { seed: String(seed) }),
    };
    void router.replace({ query: { ...rest, ...said } });
  },
});
const list = useSoundList(
  (query, signal) => call('listCatalogue', { query, signal }),
  filter,
  () => ({ kind: 'catalogue', filter: filter.value }),
  order,
  true,
);
const { edit, editCell } = useRecordEdits(list);
const { mark } = useSoundMarks(list);
/** The words that the rows were found by: until those of a new question are there, the old ones stay marked as they are. */
const marked = shallowRef(wanted.value);
watch(list.rows, () => (marked.value = wanted.value));
void list.restart();
useWhereabouts(() => ({ batchId: null, soundId: list.currentRow.value?.soundId ?? null }));

/** Why a sound stands where it stands, while what is most relevant stands first. */
const why = (row: SoundRow): string =>
  order.value.sort === 'relevance' && hasWords.value
    ? rankInWords(row.record, `${row.folder}/${row.name}`, wanted.value, meanRating(row) ?? row.record.rating)
    : '';

const ORDERS: { key: SortKey; label: string; direction?: 'desc' }[] = [
  { key: 'relevance', label: 'Most relevant first' },
  { key: 'name', label: 'By name' },
  { key: 'added', label: 'Newest first', direction: 'desc' },
  { key: 'library', label: 'Grouped by library' },
  { key: 'folder', label: 'Grouped by folder' },
  { key: 'rating', label: 'Best rated first', direction: 'desc' },
  { key: 'uses', label: 'Least used first' },
  { key: 'length', label: 'Shortest first' },
  { key: 'shuffle', label: 'Shuffled' },
];
/** The order of the list among these; one that was chosen by the headings may be none of them. */
const chosenOrder = computed(() => {
  const { sort, direction, then } = order.value;
  const isOne = ORDERS.some((each) => each.key === sort && (each.direction ?? 'asc') === direction);
  return isOne && then === '' ? sort : 'headings';
});
const MOST_SEEDS = 1_000_000;
function arrange(key: SortKey): void {
  const direction = ORDERS.find((each) => each.key === key)?.direction ?? 'asc';
  // Another seed every time; it stays in the address, and so while one goes through the pages.
  const seed = key === 'shuffle' ? 1 + Math.floor(Math.random() * MOST_SEEDS) : 0;
  order.value = { sort: key, direction, then: '', seed };
}

function choose(category: string, catId: string): void {
  const { category: _c, catId: _i, ...rest } = route.query;
  void router.replace({
    query: { ...rest, ...(category === '' ? {} : { category }), ...(catId === '' ? {} : { catId }) },
  });
}

/** Puts a value of the index into the search line, or takes it out: the line says all that narrows the list. */
function toggle(term: string): void {
  const { q: _, ...rest } = route.query;
  const q = toggleTerm(filter.value.q, term);
  void router.replace({ query: { ...rest, ...(q === '' ? {} : { q }) } });
}

function chooseCollections(collection: string): void {
  const { collection: _, ...rest } = route.query;
  void router.replace({ query: { ...rest, ...(collection === '' ? {} : { collection }) } });
}

const {
  concerned,
  planned,
  what: concernedWhat,
  kind: planKind,
  planning,
  settling,
  plan: openPlan,
  settle: openSettling,
  show: showCopy,
} = useListPlans(list, filter, isNarrowed);

useKeys('catalogue', {
  e: () => void card.value?.focusField(),
  w: () => openPlan('write'),
  r: () => openPlan('rename'),
});
</script>

<template>
  <div class="catalogue">
    <category-index
      :filter="filter"
      @choose="choose"
      @collections="chooseCollections"
      @toggle="toggle"
      @counted="list.takeTotal"
    >
      <saved-searches :line="filter.q" :also="filter.also" />
    </category-index>
    <div class="middle" @dragover="drag" @dragleave="isDragged = isDragged && !leaves($event)" @drop="drop">
      <search-tabs />
      <div class="tools">
        <el-select
          :persistent="false"
          :model-value="chosenOrder"
          size="small"
          class="order"
          aria-label="Order"
          @change="arrange"
        >
          <el-option
            v-for="each in ORDERS"
            :key="each.key"
            :value="each.key"
            :label="each.label"
            :disabled="each.key === 'relevance' && !hasWords"
          />
          <el-option v-if="chosenOrder === 'headings'" value="headings" label="By the headings" disabled />
        </el-select>
        <el-button v-if="order.sort === 'shuffle'" size="small" @click="arrange('shuffle')">Shuffle again</el-button>
        <span class="spring" />
        <el-button size="small" @click="likening = true">Sounds like…</el-button>
        <el-button v-if="rights.may('editor')" size="small" :disabled="list.total.value === 0" @click="exporting = true"
          >Export…</el-button
        >
        <el-button
          v-if="rights.may('editor')"
          size="small"
          :disabled="list.total.value === 0"
          @click="copyingOut = true"
          >Copy out…</el-button
        >
        <el-button
          v-if="rights.may('editor')"
          size="small"
          :disabled="list.total.value === 0"
          @click="delivering = true"
          >Deliver…</el-button
        >
        <el-button v-if="rights.may('librarian')" size="small" @click="importing = true">Bring back…</el-button>
        <column-chooser />
      </div>
      <p v-if="isDragged" class="drop-here" role="status">
        Drop one sound here to find those that are like it; a folder or pack is brought in
      </p>
      <search-notes :reading="reading" />
      <sound-table
        :list="list"
        label="Catalogue"
        grouped
        :wanted="marked"
        :why="why"
        @edit="editCell"
        @dragged="(on) => (rowsDragged = on)"
      >
        <template #empty>
          <p v-if="list.loading.value" class="soft">Loading…</p>
          <template v-else-if="isNarrowed">
            <p>
              Nothing found{{ typed === '' ? '' : ` for “${typed}”`
              }}{{ filter.category || filter.catId ? ' in this category' : '' }}.
            </p>
            <el-button @click="router.replace({ query: {} })">Show everything</el-button>
          </template>
          <p v-else>
            The catalogue is empty.
            <template v-if="rights.may('librarian')"
              >Bring sounds in at <router-link to="/intake">Intake</router-link>, then file the batch.</template
            >
            <template v-else>A librarian brings sounds in and files them here.</template>
          </p>
        </template>
        <template #foot>
          <el-button
            v-if="rights.may('editor') && list.selection.value && list.selectedCount.value > 0"
            size="small"
            @click="pulls.addAll(list.selection.value)"
            >Pull</el-button
          >
          <template v-if="rights.may('librarian') && list.selectedCount.value > 0">
            <el-button size="small" title="r" @click="openPlan('rename')">Rename…</el-button>
            <el-button size="small" title="w" @click="openPlan('write')">Write…</el-button>
            <el-dropdown
              trigger="click"
              :trigger-keys="['Enter', 'ArrowDown']"
              @command="(act: ListPlanKind | 'remove') => (act === 'remove' ? (removing = true) : openPlan(act))"
            >
              <el-button size="small" aria-label="More for the selected sounds">More ▾</el-button>
              <template #dropdown>
                <el-dropdown-menu>
                  <el-dropdown-item command="shelve">Lay out on the shelf…</el-dropdown-item>
                  <el-dropdown-item command="remove">Take out of the catalogue…</el-dropdown-item>
                  <el-dropdown-item command="setAside" divided>Set files aside…</el-dropdown-item>
                  <el-dropdown-item command="delete">Delete files kept elsewhere…</el-dropdown-item>
                </el-dropdown-menu>
              </template>
            </el-dropdown>
          </template>
          <el-button
            v-if="rights.may('editor') && list.selectedCount.value > 0"
            size="small"
            title="Records and names without audio, for those who hold the same sounds"
            @click="makingSheet = true"
            >Sheet…</el-button
          >
          <el-button
            v-if="rights.may('assistant') && list.selectedCount.value > 0"
            size="small"
            title="Where record and file differ: who wins"
            @click="openSettling"
            >Settle…</el-button
          >
          <el-button
            v-if="rights.may('assistant') && list.selectedCount.value > 0"
            size="small"
            class="recipe"
            @click="cooking = true"
            >Recipe for {{ counted(list.selectedCount.value, 'sound') }}…</el-button
          >
        </template>
      </sound-table>
      <pull-targets v-if="rowsDragged && rights.may('editor')" @done="rowsDragged = false" />
    </div>
    <plan-drawer
      v-model="planning"
      :kind="planKind"
      :selection="planned"
      :what="concernedWhat"
      :current-copy-id="list.currentRow.value?.copyId ?? 0"
      @chosen="showCopy"
    />
    <settle-drawer v-model="settling" :selection="concerned" :what="concernedWhat" @choose="showCopy" />
    <make-sheet-dialog
      v-model="makingSheet"
      :selection="list.selection.value"
      :what="counted(list.selectedCount.value, 'selected sound')"
    />
    <sounds-like-dialog v-model="likening" :dropped="dropped" />
    <import-dialog v-model="importing" />
    <remove-dialog v-model="removing" :selection="list.selection.value" />
    <copy-out-dialog
      v-model="copyingOut"
      :of="{ selection: list.selection.value, filter, count: list.selectedCount.value, total: list.total.value }"
    />
    <deliver-dialog
      v-model="delivering"
      :of="{ selection: list.selection.value, filter, count: list.selectedCount.value, total: list.total.value }"
    />
    <export-dialog
      v-model="exporting"
      :selection="list.orderedSelection.value"
      :filter="filter"
      :order="order"
      :total="list.total.value"
      :count="list.selectedCount.value"
    />
    <recipe-drawer
      v-model="cooking"
      :selection="list.selection.value"
      :what="counted(list.selectedCount.value, 'sound')"
    />
    <sound-card
      ref="card"
      :rows="list.cardRows.value"
      :count="list.cardCount.value"
      :selection="list.selection.value"
      :edit="edit"
    >
      <card-marks :row="list.cardCount.value === 1 ? list.cardRows.value[0] : undefined" :mark="mark" />
    </sound-card>
  </div>
</template>

<style scoped>
.catalogue {
  display: grid;
  grid-template-columns: 184px minmax(0, 1fr) 284px;
  height: 100%;
}

.middle {
  position: relative;
  display: flex;
  flex-direction: column;
  min-width: 0;
  min-height: 0;
}

.middle > .table {
  flex: 1;
}

.drop-here {
  margin: 0;
  padding: 10px;
  border: 2px dashed var(--lichen);
  background: var(--selected);
  text-align: center;
}

.tools {
  display: flex;
  gap: 8px;
  align-items: center;
  padding: 4px 12px;
  border-bottom: 1px solid var(--hairline);
  background: var(--ground);
}

.tools :deep(.el-button + .el-button) {
  margin-left: 0;
}

.order {
  width: 170px;
}

.spring {
  flex: 1;
}
</style>
