<script setup lang="ts">
import type { ItemState, NewPlan, PlanItem } from '@flagstone/contract/plans';
import type { Selection } from '@flagstone/contract/selection';
import { FIELDS } from '@flagstone/core/record/fields';
import { splitExtension, type BlockName } from '@flagstone/core/naming/name-blocks';
import { useVirtualizer } from '@tanstack/vue-virtual';
import { ElAlert, ElButton, ElCheckbox, ElRadioButton, ElRadioGroup } from 'element-plus';
import type { Shortening } from '@flagstone/core/naming/shorten-name';
import { useLocalStorage } from '@vueuse/core';
import { computed, ref, watch } from 'vue';
import { counted, formatValue } from '../ui/format.ts';
import { server } from '../ui/server.ts';
import { useKeys } from '../ui/use-keys.ts';
import { useLive } from '../stores/live.ts';
import { PLAN_WORDS, type ShownPlanKind } from './plan-words.ts';
import { usePlan, type PlanMaker } from './use-plan.ts';
import { PACES } from '../ui/paces.ts';
import NameBlocks from '../ui/name-blocks.vue';
import PickOne from '../ui/pick-one.vue';

/** A plan: every item with its before and after and every problem; try one, run all, undo. */
const props = defineProps<{
  kind: ShownPlanKind;
  selection: Selection | PlanMaker;
  batchId?: number;
  what: string;
  currentCopyId: number;
}>();
const emit = defineEmits<{ editBlock: [copyId: number, block: BlockName]; chosen: [copyId: number] }>();

const scroller = ref<HTMLElement>();
/** What else a plan takes in; remembered in this browser. */
const allCopies = useLocalStorage('flagstone.plan.allCopies', false);
const companions = useLocalStorage('flagstone.plan.companions', true);
/** How much of the time copying works. */
const share = useLocalStorage('flagstone.plan.share', 100);
/** Chosen for this plan alone: what is cut off a name should be seen each time. */
const shorten = ref<Shortening>('no');
const extensions = ref('kept');
const EXTENSIONS = [
  { value: 'kept', label: 'Extensions kept' },
  { value: 'right', label: 'Extensions put right' },
  ...['.wav', '.aif', '.flac', '.mp3', '.ogg'].map((value) => ({ value, label: `All called ${value}` })),
];

const live = useLive();
const wanted = computed<NewPlan | PlanMaker>(() =>
  'by' in props.selection
    ? props.selection
    : {
        kind: props.kind as NewPlan['kind'],
        selection: props.selection,
        ...(props.batchId === undefined ? {} : { batchId: props.batchId }),
        allCopies: allCopies.value,
        rename: { shorten: shorten.value, extensions: extensions.value, companions: companions.value },
      },
);
const { plan, visible, show, working, tooLong, canRun, make, run, tryOne, undo } = usePlan(
  wanted,
  () => props.currentCopyId,
  server,
  live,
  () => (props.kind === 'copy' ? share.value : undefined),
);

const rename = computed(() => props.kind === 'rename');
/** What else it takes in is chosen here; what was given otherwise is as it was given. */
const isChosenHere = computed(() => !('by' in props.selection) && props.kind !== 'restore');
const words = computed(() => PLAN_WORDS[props.kind]);
const things = computed<[string, string]>(() => words.value.things ?? ['file', 'files']);
const virtual = useVirtualizer(
  computed(() => ({
    count: visible.value.length,
    getScrollElement: () => scroller.value ?? null,
    estimateSize: () => 58,
    overscan: 8,
    getItemKey: (index: number) => visible.value[index]?.id ?? index,
  })),
);

const STATES: Record<ItemState, string> = {
  planned: '○ Planned',
  unchanged: '■ Right already',
  blocked: '✕ Needs you',
  started: '▶ Under way',
  done: '✓ Done',
  failed: '✕ Failed',
  undoing: '▶ Undoing',
  undone: '↶ Undone',
};

// The arrow keys go through the list of sounds; the item of the current sound follows into view.
watch(
  () => props.currentCopyId,
  (copyId) => {
    const index = visible.value.findIndex((item) => item.copyId === copyId);
    if (index >= 0) virtual.value.scrollToIndex(index);
  },
);

function changesOf(item: PlanItem): { label: string; before: string; after: string }[] {
  return FIELDS.filter((field) => field.name in item.after).map((field) => ({
    label: field.label,
    before: formatValue(item.before[field.name]),
    after: formatValue(item.after[field.name]),
  }));
}

/** What single places in the file say and will say, beside the fields that change. */
function placesOf(item: PlanItem): { place: string; before: string; after: string }[] {
  const [from, to] = [textsOf(item.before['places']), textsOf(item.after['places'])];
  return [...from].map(([place, before]) => ({ place, before, after: to.get(place) ?? '' }));
}

function textsOf(places: unknown): Map<string, string> {
  return new Map(typeof places === 'object' && places !== null ? Object.entries(places as Record<string, string>) : []);
}

/** What a planned name ends in after its blocks. */
function endOf({ after }: PlanItem): string {
  const { ending, name } = after;
  return (typeof ending === 'string' ? ending : '') + splitExtension(String(name)).extension;
}

/** The files that are renamed along with an item's. */
function companionsOf(item: PlanItem): { from: string; to: string }[] {
  const [from, to] = [item.before['companions'], item.after['companions']];
  if (!Array.isArray(from) || !Array.isArray(to)) return [];
  return from.map((name, at) => ({ from: String(name), to: String(to[at]) }));
}

useKeys('plan', { Enter: () => (canRun.value ? void tryOne() : false) });
</script>

<template>
  <section class="plan" :aria-label="`${words.verb} plan`">
    <header v-if="plan" class="head">
      <div class="counts" role="status">
        <strong>{{ what }}:</strong>
        <span>{{ counted(plan.counts.runnable, ...words.toDo) }}</span>
        <span v-if="plan.counts.unchanged > 0" class="soft">■ {{ plan.counts.unchanged }} right already</span>
        <span v-if="plan.counts.waiting > 0" class="waiting"
          >◔ {{ counted(plan.counts.waiting, 'waits', 'wait') }} for {{ rename ? 'its' : 'a' }} drive</span
        >
        <span v-if="plan.counts.blocked > 0" class="blocked"
          >✕ {{ counted(plan.counts.blocked, 'needs', 'need') }} you first</span
        >
        <span v-if="plan.counts.done > 0" class="done">✓ {{ plan.counts.done }} done</span>
        <span v-if="plan.counts.failed > 0" class="blocked">✕ {{ plan.counts.failed }} failed</span>
      </div>
      <el-radio-group v-model="show" aria-label="Which items to show">
        <el-radio-button value="all">All</el-radio-button>
        <el-radio-button value="runnable">To do</el-radio-button>
        <el-radio-button value="problems">With remarks</el-radio-button>
      </el-radio-group>
      <el-checkbox
        v-if="isChosenHere"
        v-model="allCopies"
        label="All copies"
        title="Also the other copies of these sounds, on every drive; those on drives that are away follow when they are back"
      />
      <el-checkbox
        v-if="rename && isChosenHere"
        v-model="companions"
        label="Files beside"
        title="Files that bear the same name with another extension, such as notes and pictures, are renamed along"
      />
      <pick-one
        v-if="rename && isChosenHere"
        class="extensions"
        :value="extensions"
        :choices="EXTENSIONS"
        label="What names end in; nothing is converted"
        @pick="(picked) => (extensions = picked)"
      />
      <pick-one
        v-if="kind === 'copy'"
        class="pace"
        :value="share"
        :choices="PACES"
        label="Pace"
        @pick="(picked) => (share = picked)"
      />
      <span class="spring" />
      <el-button :disabled="working" @click="make">Plan again</el-button>
      <el-button v-if="plan.counts.done > 0" :disabled="working" @click="undo"
        >Undo {{ counted(plan.counts.done, ...things) }}</el-button
      >
      <el-button :disabled="!canRun" @click="tryOne">Try one</el-button>
      <el-button type="primary" :loading="working" :disabled="plan.counts.runnable === 0" @click="run()"
        >{{ words.verb }} {{ counted(plan.counts.runnable, ...things) }}</el-button
      >
    </header>
    <p v-else-if="working" class="making soft">
      {{ words.making }}
    </p>
    <div v-if="tooLong > 0 || shorten !== 'no'" class="too-long" role="status">
      <span v-if="shorten === 'no'">✕ {{ counted(tooLong, 'name is', 'names are') }} too long for file systems:</span>
      <span v-else-if="tooLong > 0">✕ {{ counted(tooLong, 'name is', 'names are') }} still too long:</span>
      <span v-else>Names that are too long are shortened:</span>
      <el-radio-group v-model="shorten" size="small" aria-label="What becomes of names that are too long">
        <el-radio-button value="no">Leave them to me</el-radio-button>
        <el-radio-button value="fxName">Cut the FXName at a word</el-radio-button>
        <el-radio-button value="optional">Leave optional blocks out</el-radio-button>
      </el-radio-group>
    </div>
    <el-alert
      v-if="plan && !working && plan.counts.all > 0 && plan.counts.unchanged + plan.counts.blocked === plan.counts.all"
      :closable="false"
      :type="plan.counts.blocked > 0 ? 'warning' : 'success'"
      show-icon
    >
      {{ plan.counts.blocked > 0 ? words.allBlocked : words.allRight }}
    </el-alert>
    <div ref="scroller" class="list" role="list" tabindex="0" aria-label="Items of the plan">
      <div class="body" :style="{ height: `${virtual.getTotalSize()}px` }">
        <template v-for="row in virtual.getVirtualItems()" :key="Number(row.key)">
          <div
            v-for="item in visible.slice(row.index, row.index + 1)"
            :key="item.id"
            :ref="(element) => virtual.measureElement(element as Element | null)"
            class="item"
            role="listitem"
            :data-index="row.index"
            :class="{ current: item.copyId === currentCopyId }"
            :style="{ transform: `translateY(${row.start}px)` }"
            @click="emit('chosen', item.copyId)"
          >
            <span class="state" :class="item.state">{{ STATES[item.state] }}</span>
            <div class="what">
              <div class="before mono">
                <span class="soft">{{ item.driveName }} / {{ item.folder }} /</span> {{ item.before['name'] }}
              </div>
              <name-blocks
                v-if="item.does === 'rename' && item.blocks"
                :blocks="item.blocks"
                :extension="endOf(item)"
                :problems="item.problems"
                @edit="(block) => emit('editBlock', item.copyId, block)"
              />
              <div
                v-if="
                  item.does === 'rename' &&
                  (!item.blocks || item.problems.some((problem) => problem.code === 'NAME_TAKEN'))
                "
                class="mono"
              >
                → {{ item.after['name'] }}
              </div>
              <div v-if="kind === 'restore' && item.after['from']" class="mono">← {{ item.after['from'] }}</div>
              <div v-if="kind === 'delete' && item.after['kept']" class="mono">
                <span class="soft">kept:</span> {{ item.after['kept'] }}
              </div>
              <div v-if="kind === 'setAside' && item.after['name']" class="mono">
                → {{ item.driveName }} / {{ item.after['folder'] }} / {{ item.after['name'] }}
              </div>
              <div v-if="(kind === 'copy' || kind === 'shelve') && item.after['name']" class="mono">
                {{ item.state === 'unchanged' ? '=' : kind === 'shelve' && item.does === 'copy' ? '→ a copy at' : '→' }}
                {{ item.after['drive'] }} / {{ item.after['folder'] }} /
                {{ item.after['name'] }}
              </div>
              <div v-for="each in companionsOf(item)" :key="each.from" class="mono soft along">
                + {{ each.from }}<template v-if="each.to !== each.from"> → {{ each.to }}</template>
              </div>
              <ul v-if="item.does === 'write' && changesOf(item).length > 0" class="changes">
                <li v-for="change in changesOf(item)" :key="change.label">
                  <span class="soft">{{ change.label }}</span> <del>{{ change.before }}</del> →
                  <ins>{{ change.after }}</ins>
                </li>
              </ul>
              <ul
                v-if="item.does === 'write' && placesOf(item).length > 0"
                class="changes"
                aria-label="Places that are replaced"
              >
                <li v-for="each in placesOf(item)" :key="each.place">
                  <span class="mono soft">{{ each.place }}</span> <del>{{ each.before }}</del> →
                  <ins v-if="each.after !== ''">{{ each.after }}</ins>
                  <span v-else class="soft">dropped</span>
                </li>
              </ul>
              <p
                v-for="problem in item.problems.filter(
                  (each) => each.code !== 'BLOCK_MISSING' || each.block === undefined,
                )"
                :key="problem.code + problem.message"
                class="problem"
                :class="problem.severity"
              >
                {{ problem.severity === 'error' ? '✕' : '▲' }} {{ problem.message }} {{ problem.remedy }}
              </p>
            </div>
          </div>
        </template>
      </div>
      <p v-if="plan && visible.length === 0" class="making soft">Nothing to show with this choice.</p>
    </div>
  </section>
</template>

<style scoped>
.plan {
  display: flex;
  flex-direction: column;
  min-width: 0;
  min-height: 0;
  background: var(--surface);
}

.head {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  align-items: center;
  padding: 8px 12px;
  border-bottom: 1px solid var(--hairline);
}

.head .el-button + .el-button {
  margin-left: 0;
}

.counts {
  display: flex;
  flex-basis: 100%;
  gap: 12px;
}

.spring {
  flex: 1;
}

.extensions {
  width: 142px;
}

.pace {
  width: 190px;
}

.blocked {
  color: var(--iron);
}

.done {
  color: var(--lichen);
}

.waiting {
  color: var(--ochre-ink);
}

.too-long {
  display: flex;
  gap: 12px;
  align-items: center;
  padding: 6px 12px;
  border-bottom: 1px solid var(--hairline);
  background: var(--ochre-wash);
}

.along {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}

.making {
  padding: 24px;
}

.list {
  flex: 1;
  overflow: auto;
}

.body {
  position: relative;
}

.item {
  position: absolute;
  top: 0;
  left: 0;
  display: grid;
  grid-template-columns: 112px minmax(0, 1fr);
  width: 100%;
  padding: 6px 12px;
  border-bottom: 1px solid var(--hairline);
}

.item.current {
  background: var(--selected);
  box-shadow: inset 3px 0 0 var(--lichen);
}

.state.blocked,
.state.failed {
  color: var(--iron);
}

.state.done {
  color: var(--lichen);
}

.before {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}

.changes {
  display: flex;
  flex-wrap: wrap;
  gap: 0 16px;
  margin: 0;
  padding: 0;
  list-style: none;
}

del {
  color: var(--ink-soft);
}

ins {
  color: var(--lichen);
  text-decoration: none;
}

.problem.error {
  color: var(--iron);
}

.problem.notice {
  color: var(--ochre-ink);
}
</style>
