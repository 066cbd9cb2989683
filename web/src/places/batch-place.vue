<script setup lang="ts">
import type { Selection } from '@flagstone/contract/selection';
import { fieldLabel } from '@flagstone/core/record/fields';
import { SUGGESTED_FIELDS, type SuggestedField } from '@flagstone/core/suggest/suggest-record';
import type { BlockName } from '@flagstone/core/naming/name-blocks';
import { useLocalStorage } from '@vueuse/core';
import type { RecipeStep } from '@flagstone/core/recipes/recipe';
import { AUTHORITY_FIELDS } from '@flagstone/contract/authorities';
import {
  ElButton,
  ElCheckbox,
  ElCheckboxGroup,
  ElDropdown,
  ElDropdownItem,
  ElDropdownMenu,
  ElPopconfirm,
  ElPopover,
  ElProgress,
} from 'element-plus';
import { computed, nextTick, ref } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import { call } from '../api/client.ts';
import RecipeDrawer from '../recipes/recipe-drawer.vue';
import type { PlanMaker } from '../plans/use-plan.ts';
import PlanView from '../plans/plan-view.vue';
import SoundCard from '../card/sound-card.vue';
import { missingFields } from '../table/missing-fields.ts';
import SoundTable from '../table/sound-table.vue';
import ColumnChooser from '../table/column-chooser.vue';
import { useKeptRows } from '../intake/use-kept-rows.ts';
import { useSession } from '../stores/session.ts';
import { useBatch } from '../intake/use-batch.ts';
import RefusedPage from '../ui/refused-page.vue';
import { useRights } from '../stores/rights.ts';
import BatchMenu from '../intake/batch-menu.vue';
import NamingDialog from '../setup/naming-dialog.vue';
import LeftOutFiles from '../intake/left-out-files.vue';
import SuggestionList from '../card/suggestion-list.vue';
import { counted } from '../ui/format.ts';
import { NARROWINGS, narrowingIn } from '../lists/list-filter.ts';
import { server } from '../ui/server.ts';
import { tell } from '../ui/use-errors.ts';
import { useKeys } from '../ui/use-keys.ts';
import { usePresence, useWhereabouts } from '../stores/presence.ts';
import { useRecordEdits } from '../lists/use-record-edits.ts';
import { useSoundList } from '../lists/use-sound-list.ts';
import { useLive } from '../stores/live.ts';

type Step = 'describe' | 'name' | 'write' | 'shelf' | 'unreadable';

const route = useRoute();
const router = useRouter();
const live = useLive();
/** The page is made anew for another batch (page-key.ts). */
const id = Number(route.params['id']);
const { batch, refused, unreadable, whole, reading, leftOut, isIncomplete, load, acceptAll, file } = useBatch(
  id,
  server,
  live,
);
const card = ref<InstanceType<typeof SoundCard>>();
const suggestions = ref<InstanceType<typeof SuggestionList>>();
const planned = ref<Selection>();
const cooking = ref(false);
const drawer = ref<InstanceType<typeof RecipeDrawer>>();
/** What “Suggest” fills in; remembered in this browser. */
const wanted = useLocalStorage<SuggestedField[]>('flagstone.suggested', ['catId', 'fxName', 'keywords']);

const rights = useRights();
const presence = usePresence();
/** An assistant describes; names, files and the catalogue are a librarian's. */
const isLibrarian = computed(() => rights.may('librarian'));
/** What “Suggest” and a recipe are for: the selected rows where there are several, else the whole batch. */
const chosen = computed<Selection>(() => (list.selectedCount.value > 1 ? (list.selection.value ?? whole) : whole));
const step = computed(() => (route.query['step'] as Step | undefined) ?? 'describe');
const filter = computed(() => ({
  q: typeof route.query['q'] === 'string' ? route.query['q'] : '',
  category: '',
  catId: '',
  also: '',
  ...narrowingIn(route.query),
}));
const list = useSoundList(
  (query, signal) => call('listBatchRows', { params: { id }, query, signal }),
  filter,
  () => ({ kind: 'batch', batchId: id, filter: filter.value }),
);
/** A plan is for the rows selected when it was asked for; for the whole batch when there was no selection. */
const planSelection = computed(() => planned.value ?? whole);

/** Laying on the shelf, of the same. */
const shelving = computed<PlanMaker>(() => {
  const body = { selection: planSelection.value, batchId: id };
  return { by: () => call('planShelving', { body }) };
});

const { edit, editCell } = useRecordEdits(list);
void useKeptRows(id, useSession().personId, list, server);
useWhereabouts(() => ({ batchId: id, soundId: list.currentRow.value?.soundId ?? null }));

function goTo(next: Step): void {
  planned.value = list.selectedCount.value > 1 && !list.everything.value ? list.selection.value : undefined;
  void router.replace({ query: { ...route.query, step: next } });
}

/** Accepts for what is selected, then goes on to the next row when it was one. */
async function accept(catId: string): Promise<void> {
  const single = list.selectedCount.value <= 1;
  const done = await edit({ set: { catId } });
  if (done && single) list.goTo(Math.min(list.current.value + 1, list.rows.value.length - 1));
}

/** The names are planned anew once they are made otherwise. */
const naming = ref(false);
const patternTurn = ref(0);

/** After rows went to another batch, or came from one. */
function changed(): void {
  void load();
  void list.restart();
}

async function fileBatch(): Promise<void> {
  if (await file()) await router.push('/catalogue');
}

/** A click on a block of a name: opens the card of that copy at the field behind the block. */
async function editBlock(copyId: number, block: BlockName): Promise<void> {
  await choose(copyId);
  await nextTick();
  card.value?.focusField(block);
}

async function choose(copyId: number): Promise<void> {
  while (!list.rows.value.some((row) => row.copyId === copyId) && list.rows.value.length < list.total.value) {
    const before = list.rows.value.length;
    await list.needUpTo(before);
    if (list.rows.value.length === before) return;
  }
  list.goTo(list.rows.value.findIndex((row) => row.copyId === copyId));
}

async function nextMissing(): Promise<void> {
  const found = isIncomplete.value && (await list.goToNext((row) => missingFields(row).length > 0));
  if (!found) tell('Nothing is missing', 'Every sound of this list can be named and filed.');
}

const acceptNumber = (index: number) => (): boolean =>
  step.value === 'describe' && (suggestions.value?.accept(index) ?? false);
useKeys('batch', {
  Enter: () => (step.value === 'describe' ? acceptNumber(0)() : false),
  1: acceptNumber(0),
  2: acceptNumber(1),
  3: acceptNumber(2),
  4: acceptNumber(3),
  5: acceptNumber(4),
  m: () => void nextMissing(),
  e: () => void card.value?.focusField(),
  r: () => isLibrarian.value && goTo('name'),
  w: () => isLibrarian.value && goTo('write'),
});

/** Recipes that most batches need, ready to be looked at. */
const OFTEN: { label: string; steps: RecipeStep[] }[] = [
  { label: 'Read the blocks of names in UCS form', steps: [{ do: 'readName', how: 'ifEmpty' }] },
  {
    label: 'Look all names up in their lists',
    steps: Object.values(AUTHORITY_FIELDS).map(({ name }) => ({ do: 'lookUp', field: name })),
  },
  {
    label: 'Hints on spelling',
    steps: [{ do: 'spell', fields: ['fxName', 'description', 'keywords', 'notes'] }],
  },
];

const STEPS: { key: Step; label: string; hint: string }[] = [
  { key: 'describe', label: '1 Describe', hint: 'Category, FXName and the rest' },
  { key: 'name', label: '2 Name', hint: 'See the names, then rename (r)' },
  { key: 'write', label: '3 Write', hint: 'Put the records into the files (w)' },
  { key: 'shelf', label: '4 Shelf', hint: 'Lay the files out in the folders of the collection' },
];
</script>

<template>
  <refused-page v-if="refused" :refused="refused" back="/intake" back-label="To the batches" />
  <div v-else-if="batch" class="batch">
    <header class="head">
      <div class="title">
        <router-link to="/intake" class="soft">Intake</router-link> <span class="soft">/</span>
        <h1 :title="batch.givenTo ? `Given to ${batch.givenTo.name}` : ''">{{ batch.name }}</h1>
        <batch-menu
          v-if="isLibrarian"
          :batch="batch"
          :selection="list.selection.value"
          :selected="list.selectedCount.value"
          @changed="changed"
        />
      </div>
      <nav class="steps" aria-label="Steps">
        <button
          v-for="each in STEPS.filter(({ key }) => key === 'describe' || isLibrarian)"
          :key="each.key"
          type="button"
          class="step"
          :class="{ current: step === each.key }"
          :aria-current="step === each.key ? 'step' : undefined"
          :title="each.hint"
          @click="goTo(each.key)"
        >
          {{ each.label }}
        </button>
        <el-popconfirm
          v-if="isLibrarian"
          :title="`File ${counted(batch.counts.all, 'sound')} into the catalogue? Files stay where they are.`"
          width="280"
          confirm-button-text="File them"
          @confirm="fileBatch"
        >
          <template #reference
            ><button type="button" class="step" :disabled="batch.counts.all === 0">
              {{ batch.filedAt ? '✓ Filed' : '5 File' }}
            </button></template
          >
        </el-popconfirm>
      </nav>
      <button
        v-if="leftOut !== ''"
        type="button"
        class="faults"
        :class="{ current: step === 'unreadable', note: unreadable.length === 0 }"
        @click="goTo('unreadable')"
      >
        {{ leftOut }}
      </button>
      <span v-if="presence.inBatch(id).length > 0" class="there" role="status"
        >◉
        {{
          presence
            .inBatch(id)
            .map(({ name }) => name)
            .join(', ')
        }}</span
      >
      <span class="soft counts"
        >{{ batch.counts.categorised }} of {{ batch.counts.all }} with a category, {{ batch.counts.named }} ready to
        name</span
      >
      <el-button v-if="step === 'name'" @click="naming = true">Naming pattern…</el-button>
      <span v-if="step === 'describe'" class="suggest">
        <el-button :disabled="batch.counts.all === 0" @click="cooking = true">Recipe…</el-button>
        <el-dropdown
          trigger="click"
          :trigger-keys="['ArrowDown']"
          @command="(steps: RecipeStep[]) => drawer?.openWith(steps)"
        >
          <el-button aria-label="Recipes that are often needed" :disabled="batch.counts.all === 0">▾</el-button>
          <template #dropdown>
            <el-dropdown-menu>
              <el-dropdown-item v-for="each in OFTEN" :key="each.label" :command="each.steps">{{
                each.label
              }}</el-dropdown-item>
            </el-dropdown-menu>
          </template>
        </el-dropdown>
      </span>
      <span v-if="step === 'describe'" class="suggest">
        <el-button
          type="primary"
          :disabled="batch.counts.all === 0 || wanted.length === 0"
          @click="acceptAll(wanted, chosen)"
          >Suggest for
          {{ list.selectedCount.value > 1 ? counted(list.selectedCount.value, 'sound') : 'all' }}</el-button
        >
        <el-popover trigger="click" width="240" placement="bottom-end">
          <template #reference
            ><el-button type="primary" aria-label="Which fields are suggested">▾</el-button></template
          >
          <p class="soft">Empty fields that are filled in:</p>
          <el-checkbox-group v-model="wanted" class="wanted" aria-label="Fields that are suggested">
            <el-checkbox v-for="name in SUGGESTED_FIELDS" :key="name" :value="name" :label="fieldLabel(name)" />
          </el-checkbox-group>
        </el-popover>
      </span>
    </header>
    <recipe-drawer
      ref="drawer"
      v-model="cooking"
      :selection="chosen"
      :what="counted(list.selectedCount.value > 1 ? list.selectedCount.value : batch.counts.all, 'sound')"
    />
    <div v-if="reading" class="reading" role="status">
      <span
        >Reading the folder: {{ (reading.done + reading.failed).toLocaleString('en') }} of
        {{ reading.total?.toLocaleString('en') ?? '…' }} files,
        {{ counted(reading.failed, 'unreadable', 'unreadable') }}</span
      >
      <el-progress
        class="bar"
        :percentage="reading.total ? Math.round((100 * (reading.done + reading.failed)) / reading.total) : 0"
        :show-text="false"
      />
    </div>
    <p v-if="step === 'describe' && batch.filedAt === null && batch.counts.held > 0" class="held" role="status">
      ≈ <strong>{{ counted(batch.counts.held, 'recording') }} held already</strong> in another form: another rate,
      depth, level or codec. <router-link :to="{ query: { q: 'is:doubled ' } }">Show them</router-link>; the card says
      which form is better.
    </p>

    <div class="work">
      <sound-table v-show="step === 'describe'" :list="list" label="Sounds of the batch" @edit="editCell">
        <template #empty>
          <p v-if="reading || list.loading.value" class="soft">Reading…</p>
          <p v-else-if="NARROWINGS.some((key) => filter[key] !== '')">
            No file of this batch is like that. The line above the table takes the narrowing back.
          </p>
          <p v-else-if="filter.q !== ''">No sound of this batch has “{{ filter.q }}” in any field or folder.</p>
          <p v-else>No audio files in this folder.</p>
        </template>
        <template #foot><span class="spring" /><column-chooser /></template>
      </sound-table>
      <plan-view
        v-if="step === 'name' || step === 'write'"
        :key="`${step} ${patternTurn}`"
        :kind="step === 'name' ? 'rename' : 'write'"
        :batch-id="id"
        :selection="planSelection"
        :what="planned ? 'Selected rows' : 'Whole batch'"
        :current-copy-id="list.currentRow.value?.copyId ?? 0"
        @edit-block="editBlock"
        @chosen="choose"
      />
      <plan-view
        v-if="step === 'shelf'"
        key="shelf"
        kind="shelve"
        :selection="shelving"
        :what="planned ? 'Selected rows' : 'Whole batch'"
        :current-copy-id="list.currentRow.value?.copyId ?? 0"
        @chosen="choose"
      />
      <naming-dialog v-if="batch" v-model="naming" :collection-id="batch.collectionId" @changed="patternTurn += 1" />
      <left-out-files v-if="step === 'unreadable'" :batch="batch" :unreadable="unreadable" />
      <sound-card
        ref="card"
        :rows="list.cardRows.value"
        :count="list.cardCount.value"
        :selection="list.selection.value"
        :edit="edit"
      >
        <p v-if="list.currentRow.value && missingFields(list.currentRow.value).length > 0" class="lacking">
          ○ Still missing: {{ missingFields(list.currentRow.value).join(', ') }}
          <button type="button" class="in-line-button" title="m" @click="nextMissing">Next missing</button>
        </p>
        <suggestion-list
          v-if="list.currentRow.value && list.selectedCount.value <= 1"
          ref="suggestions"
          :copy-id="list.currentRow.value.copyId"
          :cat-id="list.currentRow.value.record.catId"
          @accept="accept"
        />
      </sound-card>
    </div>
  </div>
</template>

<style scoped>
.batch {
  display: flex;
  flex-direction: column;
  height: 100%;
}

.head {
  display: flex;
  gap: 12px;
  align-items: center;
  height: 48px;
  padding: 0 12px;
  border-bottom: 1px solid var(--hairline);
}

.there {
  color: var(--lichen);
}

.title {
  display: flex;
  gap: 6px;
  align-items: baseline;
}

.title h1 {
  font-size: 16px;
}

.steps {
  display: flex;
}

.step,
.faults {
  flex: none;
  white-space: nowrap;
}

.step {
  height: 30px;
  padding: 0 12px;
  border: 1px solid var(--hairline);
  border-right-width: 0;
  background: var(--surface);
  color: var(--ink);
  font: inherit;
  cursor: pointer;
}

.step:last-child {
  border-right-width: 1px;
}

.step.current {
  background: var(--ink);
  color: var(--ground);
}

.step:hover:not(.current, :disabled) {
  background: var(--lichen-wash);
}

.step:disabled {
  color: var(--ink-soft);
}

.faults {
  height: 30px;
  padding: 0 10px;
  border: 1px solid var(--iron);
  background: none;
  color: var(--iron);
  font: inherit;
  cursor: pointer;
}

.faults.note {
  border-color: var(--hairline);
  background: var(--surface);
  color: var(--ink);
}

.faults.current {
  background: var(--iron-wash);
}

.faults.note.current {
  background: var(--sunken);
}

.spring {
  flex: 1;
}

.counts {
  flex: 1;
  min-width: 0;
  max-height: 2lh;
  overflow: hidden;
  text-align: right;
}

.held {
  margin: 0;
  padding: 8px 16px;
  border-bottom: 1px solid var(--hairline);
  background: var(--surface);
}

.reading {
  display: flex;
  gap: 12px;
  align-items: center;
  padding: 6px 12px;
  border-bottom: 1px solid var(--hairline);
  background: var(--ochre-wash);
}

.bar {
  flex: 1;
}

.work {
  display: grid;
  flex: 1;
  grid-template-columns: minmax(0, 1fr) 320px;
  min-height: 0;
}

.suggest {
  display: flex;
}

.suggest .el-button + .el-button {
  margin-left: 1px;
  padding: 0 8px;
}

.wanted {
  display: grid;
}

.lacking {
  padding: 6px 12px;
  border-bottom: 1px solid var(--hairline);
  color: var(--ochre-ink);
}
</style>
