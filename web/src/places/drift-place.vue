<script setup lang="ts">
import { useDebounceFn } from '@vueuse/core';
import { filterSchema, type Selection } from '@flagstone/contract/selection';
import { ElButton } from 'element-plus';
import { computed, onBeforeUnmount, ref, shallowRef } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import { call } from '../api/client.ts';
import DriftMatrix from '../drift/drift-matrix.vue';
import { barsByDay, driveRows, notInStep, totalOf } from '../drift/drift-rows.ts';
import { useCollections } from '../stores/collections.ts';
import SheetList from '../sheets/sheet-list.vue';
import ProofDialog from '../drift/proof-dialog.vue';
import CopiesDialog from '../plans/copies-dialog.vue';
import PlanDrawer from '../plans/plan-drawer.vue';
import type { PlanMaker } from '../plans/use-plan.ts';
import MakeSheetDialog from '../sheets/make-sheet-dialog.vue';
import { useRights } from '../stores/rights.ts';
import { useLive } from '../stores/live.ts';
import BarChart from '../ui/bar-chart.vue';
import { counted } from '../ui/format.ts';
import PickOne from '../ui/pick-one.vue';
import { useAnswer } from '../ui/use-answer.ts';

/** How the copies on all drives stand to their records, and what to do about it. */
const route = useRoute();
const router = useRouter();
const live = useLive();
const collections = useCollections();
const rights = useRights();

const { answer, load } = useAnswer(
  () => 'drift',
  async () => {
    const [drift, days] = await Promise.all([
      call('getDrift'),
      call('getDriftTrend', { query: { days: 30 } }),
      collections.load(),
    ]);
    return { drift, days };
  },
);
const AGAIN_MS = 400;
// A job that writes tells of every file: now and then is enough.
const loadSoon = useDebounceFn(() => load(), AGAIN_MS, { maxWait: 2000 });
onBeforeUnmount(live.onRecords(() => void loadSoon()));
onBeforeUnmount(live.onJob((job) => void (job.state !== 'running' && loadSoon())));

/** The collection that is looked at alone; undefined for all that are in use. */
const collection = computed(() => collections.list.find(({ id }) => String(id) === route.query['collection'])?.id);
const retired = computed(() => new Set(collections.list.filter((each) => each.retired).map(({ id }) => id)));
const rows = computed(() => {
  const drift = answer.value?.drift;
  if (!drift) return [];
  return driveRows(drift, ({ collectionId }) =>
    collection.value === undefined
      ? collectionId === null || !retired.value.has(collectionId)
      : collectionId === collection.value,
  );
});
const total = computed(() => totalOf(rows.value));
const choices = computed(() => [
  { value: 0, label: 'All collections' },
  ...collections.list.map(({ id, name, retired: isRetired }) => ({
    value: id,
    label: isRetired ? `${name} (retired)` : name,
  })),
]);
function choose(id: number): void {
  void router.replace({ query: id === 0 ? {} : { collection: String(id) } });
}

const making = ref(false);
const proving = ref(false);
/** The drive whose files are to be proved. */
const provedId = ref('');
const proved = computed(() => rows.value.find(({ id }) => id === provedId.value));
function prove(id: string): void {
  provedId.value = id;
  proving.value = true;
}

const choosingCopies = ref(false);
const copying = ref(false);
const copies = shallowRef<{ maker: PlanMaker; what: string }>();
function planCopies(maker: PlanMaker, what: string): void {
  copies.value = { maker, what };
  copying.value = true;
}

/** What a change sheet is made of here: everything that is filed, of one collection or of all. */
const whole = computed<Selection>(() => ({
  kind: 'catalogue',
  filter: filterSchema.parse({ collection: collection.value === undefined ? '' : String(collection.value) }),
}));
const wholeInWords = computed(() =>
  collection.value === undefined ? 'the whole catalogue' : `all sounds in ${collections.nameOf(collection.value)}`,
);

const number = (value: number): string => value.toLocaleString('en');
const files = computed(() => {
  const { inStep, behind, ahead, split, away } = total.value;
  return inStep + behind + ahead + split + away;
});

/** What there is to do, each with the list to do it in, and what is opened over it. */
const steps = computed(() => {
  const { behind, ahead, split, gone, damaged } = total.value;
  const list = (state: string, open?: string) => ({
    path: '/catalogue',
    query: {
      state,
      ...(collection.value === undefined ? {} : { collection: String(collection.value) }),
      ...(open === undefined ? {} : { open }),
    },
  });
  const all = [
    {
      count: damaged,
      of: 'damaged',
      does: 'Damaged: their audio is not what it was, though nobody changed them.',
      act: { word: 'Restore…', to: list('damaged', 'restore'), needs: 'librarian' as const },
    },
    {
      count: behind,
      of: 'behind',
      does: 'Behind: their records moved on, which a write puts into the files.',
      act: { word: 'Write…', to: list('behind', 'write'), needs: 'librarian' as const },
    },
    {
      count: ahead,
      of: 'ahead',
      does: 'Ahead: other programs changed the files, which the records can take.',
      act: { word: 'Settle…', to: list('ahead', 'settle'), needs: 'assistant' as const },
    },
    {
      count: split,
      of: 'split',
      does: 'Split: record and file were both changed; rules or you say who wins.',
      act: { word: 'Settle…', to: list('split', 'settle'), needs: 'assistant' as const },
    },
    {
      count: gone,
      of: 'gone',
      does: 'Gone: the drive is here, the file is not.',
      act: { word: 'Find them…', to: '/setup?show=lost', needs: 'librarian' as const },
    },
  ];
  return all.filter(({ count }) => count > 0).map((step) => ({ ...step, to: list(step.of) }));
});
const bars = computed(() => barsByDay(answer.value?.days ?? []));
</script>

<template>
  <div class="drift">
    <header class="head">
      <h1>Drift</h1>
      <span class="soft" role="status">{{
        answer
          ? `${total.damaged > 0 ? `⚡ ${number(total.damaged)} damaged. ` : ''}${counted(files, 'file')} on ${counted(rows.length, 'drive')}, ${number(notInStep(total))} not In step`
          : 'Counting…'
      }}</span>
      <span class="spring" />
      <pick-one
        v-if="collections.list.length > 1"
        class="whose"
        :value="collection ?? 0"
        :choices="choices"
        label="Of which collection"
        @pick="choose"
      />
      <el-button v-if="rights.may('librarian')" size="small" @click="choosingCopies = true"
        >Copies on another drive…</el-button
      >
      <el-button v-if="rights.may('editor')" size="small" @click="making = true">Make a change sheet…</el-button>
    </header>
    <proof-dialog v-model="proving" :drive="proved" @changed="load" />
    <copies-dialog v-model="choosingCopies" :collection="collection" @plan="planCopies" />
    <plan-drawer
      v-model="copying"
      kind="copy"
      :selection="copies?.maker"
      :what="copies?.what ?? ''"
      :current-copy-id="0"
    />
    <make-sheet-dialog v-model="making" :selection="whole" :what="wholeInWords" />
    <template v-if="answer">
      <p v-if="rows.length === 0" class="panel soft">
        Nothing was read into {{ collection === undefined ? 'the catalogue' : 'this collection' }} yet.
      </p>
      <div v-else class="sheet">
        <drift-matrix :rows="rows" :total="total" :collection="collection" @prove="prove" />
      </div>
      <div v-if="rows.length > 0" class="below">
        <section class="panel">
          <h2>What to do</h2>
          <p v-if="steps.length === 0" class="soft">Nothing: every file that is here carries its record.</p>
          <ul>
            <li v-for="step in steps" :key="step.does">
              <router-link :to="step.to">{{ counted(step.count, 'file') }}</router-link> {{ step.does }}
              <router-link v-if="rights.may(step.act.needs)" class="act" :to="step.act.to">{{
                step.act.word
              }}</router-link>
            </li>
          </ul>
        </section>
        <sheet-list v-if="rights.may('librarian')" />
        <bar-chart v-if="bars.length > 1 && collection === undefined" title="Files not In step, by day" :bars="bars" />
      </div>
    </template>
  </div>
</template>

<style scoped>
.drift {
  display: flex;
  flex-direction: column;
  gap: 12px;
  height: 100%;
  padding: 12px;
  overflow: auto;
}

.head {
  display: flex;
  align-items: baseline;
  gap: 12px;
}

.spring {
  flex: 1;
}

.whose {
  width: 220px;
}

.sheet {
  flex: none;
  max-height: 60%;
  border: 1px solid var(--hairline);
  overflow: auto;
}

.below {
  display: grid;
  flex: none;
  grid-auto-columns: 1fr;
  grid-auto-flow: column;
  grid-auto-rows: minmax(196px, max-content);
  gap: 12px;
}

.panel {
  padding: 10px 14px;
}

ul {
  margin: 6px 0 0;
  padding: 0;
  list-style: none;
}

li {
  padding: 4px 0;
}

.act {
  margin-left: 6px;
  font-weight: 600;
}
</style>
