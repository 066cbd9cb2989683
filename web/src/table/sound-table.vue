<script setup lang="ts">
import type { SoundRow } from '@flagstone/contract/record';
import { markFound, type WantedWords } from '@flagstone/core/query/found-words';
import type { RecordEdit } from '@flagstone/core/record/edit';
import { fieldLabel } from '@flagstone/core/record/fields';
import { useVirtualizer } from '@tanstack/vue-virtual';
import { ElCheckbox } from 'element-plus';
import { computed, ref, watch } from 'vue';
import { counted } from '../ui/format.ts';
import { dragSounds, MOST_DRAGGED } from '../ui/dragged-sounds.ts';
import { useKeys } from '../ui/use-keys.ts';
import { ownMark } from '../lists/use-sound-marks.ts';
import type { SoundList } from '../lists/use-sound-list.ts';
import CategoryPicker from '../card/category-picker.vue';
import ColumnHead from './column-head.vue';
import InlineWave from '../wave/inline-wave.vue';
import { heldInWords } from '../ui/held-words.ts';
import StateMark from '../ui/state-mark.vue';
import type { Column } from './columns.ts';
import { storeToRefs } from 'pinia';
import { useColumns } from './columns-store.ts';
import { useSession } from '../stores/session.ts';
import { headingAt } from './use-groups.ts';
import { useRowSlots } from './use-row-slots.ts';
import { useShownColumns } from './use-shown-columns.ts';
import { useCellBlock } from './use-cell-block.ts';
import { usePresence } from '../stores/presence.ts';
import { useRights } from '../stores/rights.ts';
import { useCellEditing } from './use-cell-editing.ts';
import ListNarrowing from './list-narrowing.vue';

/** The table that all list places share: virtual rows, inline waveforms, sorting, selection, editing in place. */
const props = defineProps<{
  list: SoundList;
  label: string;
  /** Whether what is sorted by library or folder stands under headings. */
  grouped?: boolean;
  wanted?: WantedWords;
  /** Why a row stands where it stands, when there is something to say of it. */
  why?: (row: SoundRow) => string;
}>();
const emit = defineEmits<{ edit: [copyIds: number[], change: RecordEdit]; dragged: [on: boolean] }>();

const scroller = ref<HTMLElement>();
const { list } = props;
const layout = useColumns();
const { shown: all } = storeToRefs(layout);
/** Height of a row in pixels. */
const rowHeight = computed(() => (layout.layout.density === 'roomy' ? 36 : 28));
const template = computed(() => `32px 96px ${all.value.map((column) => `${column.width}px`).join(' ')}`);
const block = useCellBlock(list, all);
const { shown: columns, isAside, reveal, width } = useShownColumns(scroller, all);
const rights = useRights();
const presence = usePresence();
const namesOf = ({ soundId }: SoundRow): string =>
  presence
    .atSound(soundId)
    .map(({ name }) => `${name} has this`)
    .join(', ');
const initialsOf = ({ soundId }: SoundRow): string =>
  presence
    .atSound(soundId)
    .map(({ initials }) => initials)
    .join(' ');
const { editing, draft, beginEdit, commit, commitAndMove } = useCellEditing(
  list,
  all,
  scroller,
  reveal,
  (copyId, change) => emit('edit', [copyId], change),
  ({ collectionId }) => rights.mayIn('assistant', collectionId),
);

const HEADING_PX = 26;
const heading = (index: number): string | undefined => (props.grouped ? headingAt(list, index) : undefined);

const virtual = useVirtualizer(
  computed(() => ({
    count: list.rows.value.length,
    getScrollElement: () => scroller.value ?? null,
    estimateSize: (index: number) => rowHeight.value + (heading(index) === undefined ? 0 : HEADING_PX),
    overscan: 6,
    // The headings stand above the first row, and over the row at the top.
    scrollPaddingStart: rowHeight.value,
    scrollPaddingEnd: rowHeight.value,
  })),
);
const shown = computed(() =>
  virtual.value.getVirtualItems().flatMap((item) => {
    const row = list.rows.value[item.index];
    const over = heading(item.index);
    return row ? [{ row, index: item.index, over, start: item.start + (over === undefined ? 0 : HEADING_PX) }] : [];
  }),
);
const slots = useRowSlots(shown, () => virtual.value.isScrolling);
const session = useSession();
const own = (row: SoundRow) => ownMark(row, session.personId);

/** The same function always: the headings are not drawn anew while rows go by. */
const visibleRows = (): SoundRow[] => shown.value.map(({ row }) => row);

/** Columns whose words are searched. */
const MARKED = new Set([
  'name',
  'catId',
  'fxName',
  'folder',
  'description',
  'keywords',
  'library',
  'category',
  'subCategory',
  'creator',
  'publisher',
  'notes',
  'location',
  'microphone',
]);

/** What a row looks like, beside the sound: while none of it changes, the row is not looked at again. */
const waitsInWords = ({ proposals }: SoundRow): string =>
  `Waits for review: ${[...new Set(proposals.map(({ field }) => fieldLabel(field)))].join(', ')}`;
const looksOf = (row: SoundRow, index: number, start: number): unknown[] => [
  row,
  index,
  start,
  index === list.current.value,
  list.isSelected(row),
  block.blockOf(row, index),
  editing.value?.copyId === row.copyId ? editing.value.column : undefined,
  columns.value,
  props.wanted,
  rowHeight.value,
  session.personId,
  initialsOf(row),
];
const allChosen = computed(
  () => list.everything.value || (list.total.value > 0 && list.selectedCount.value === list.total.value),
);

watch(shown, (items) => void list.needUpTo(items.at(-1)?.index ?? 0));
watch(block.column, reveal);
// Headings come and go with the order.
watch([list.sortKeys, list.rows], () => props.grouped && virtual.value.measure());
watch(list.current, (index) => index >= 0 && virtual.value.scrollToIndex(index));

/** Which fields the places of a row's file do not agree on, in words. */
function disagreement(row: SoundRow): string {
  return `Places in the file do not say the same: ${row.disagreeing.map(fieldLabel).join(', ')}`;
}

/** A selected row takes the others with it, as far as they are known here; another one goes alone. */
function drag(row: SoundRow, event: DragEvent): void {
  if (editing.value?.copyId === row.copyId) return event.preventDefault();
  const chosen = list.isSelected(row) ? list.rows.value.filter((each) => list.isSelected(each)) : [row];
  dragSounds(
    event,
    chosen.slice(0, MOST_DRAGGED).map(({ copyId }) => copyId),
  );
  emit('dragged', true);
}

/** The whole text of a cell, and why the row stands there. Only where the pointer rests: a title in each cell would be styled anew with each row. */
function explain(row: SoundRow, column: Column, { currentTarget }: MouseEvent): void {
  const reason = column.key === 'name' ? (props.why?.(row) ?? '') : '';
  const lines = [column.text(row), ...(reason === '' ? [] : ['', reason])];
  if (currentTarget instanceof HTMLElement) currentTarget.title = lines.join('\n');
}

function move(step: number, widen: boolean): void {
  const start = list.current.value < 0 && step < 0 ? list.rows.value.length : list.current.value;
  list.goTo(Math.max(0, Math.min(list.rows.value.length - 1, start + step)), widen ? 'widen' : 'only');
}

function click(index: number, event: MouseEvent): void {
  list.goTo(index, event.shiftKey ? 'widen' : event.ctrlKey || event.metaKey ? 'toggle' : 'only');
}

useKeys('table', {
  ArrowDown: (event) => move(1, event.shiftKey),
  ArrowUp: (event) => move(-1, event.shiftKey),
  PageDown: () => move(20, false),
  PageUp: () => move(-20, false),
  Home: () => list.goTo(0),
  'Ctrl+Space': () => (list.current.value >= 0 ? list.toggle(list.current.value) : false),
  'Ctrl+a': () => list.selectAll(),
  Escape: () => list.clear(),
  v: () => layout.applyNext(),
  F2: () => void beginEdit(list.current.value, all.value[block.column.value]),
});
</script>

<template>
  <div class="table">
    <div
      ref="scroller"
      class="scroller"
      :class="{ aside: isAside }"
      :style="`--columns: ${template}`"
      role="grid"
      :aria-label="label"
      :aria-rowcount="list.isCounting.value ? -1 : list.total.value"
      :aria-colcount="all.length + 2"
      aria-multiselectable="true"
      :aria-busy="list.loading.value"
      tabindex="0"
    >
      <div class="head row" role="row" :style="{ width: `${width}px` }">
        <span class="cell check" role="columnheader">
          <el-checkbox
            :model-value="allChosen"
            :indeterminate="list.selectedCount.value > 0 && !allChosen"
            aria-label="Select all"
            @change="(on) => (on ? list.selectAll() : list.clear())"
          />
        </span>
        <span class="cell" role="columnheader">Wave</span>
        <column-head
          v-for="column in all"
          :key="column.key"
          class="cell"
          :class="{ right: column.align === 'right', pinned: column.key === 'name' }"
          :column="column"
          :list="list"
          :visible-rows="visibleRows"
        />
      </div>
      <div class="body" role="rowgroup" :style="{ height: `${virtual.getTotalSize()}px`, width: `${width}px` }">
        <template v-for="{ over, slot, start } in slots" :key="`over ${slot}`">
          <div v-if="over !== undefined" class="group" role="row" :style="{ top: `${start - HEADING_PX}px` }">
            <span role="rowheader">{{ over }}</span>
          </div>
        </template>
        <div
          v-for="{ row, index, slot, start } in slots"
          :key="slot"
          v-memo="looksOf(row, index, start)"
          class="row"
          role="row"
          :class="{ current: index === list.current.value, selected: list.isSelected(row), odd: index % 2 === 1 }"
          :aria-rowindex="index + 1"
          :aria-selected="list.isSelected(row) || index === list.current.value"
          :style="`transform: translateY(${start}px)`"
          draggable="true"
          @click="click(index, $event)"
          @dragstart="drag(row, $event)"
          @dragend="emit('dragged', false)"
        >
          <span class="cell check" role="gridcell" @click.stop>
            <!-- Not a stop of Tab, which would lead through all rows one by one: Ctrl+Space does the same. -->
            <input
              type="checkbox"
              tabindex="-1"
              :checked="list.isSelected(row)"
              :aria-label="`Select ${row.name}`"
              @change="list.toggle(index)"
            />
          </span>
          <span class="cell" role="gridcell"><inline-wave :sound-id="row.soundId" /></span>
          <span
            v-for="{ column, at } in columns"
            :key="column.key"
            class="cell"
            role="gridcell"
            :aria-colindex="at + 3"
            :style="`grid-column: ${at + 3}`"
            :class="{
              right: column.align === 'right',
              mono: column.mono,
              pinned: column.key === 'name',
              editable: column.field,
              block: block.isInBlock(row, index, at),
              editing: editing?.copyId === row.copyId && editing.column.key === column.key,
            }"
            @mouseenter="explain(row, column, $event)"
            @mousedown="block.goToColumn(at)"
            @dblclick="beginEdit(index, column)"
          >
            <template v-if="editing?.copyId === row.copyId && editing.column.key === column.key">
              <category-picker
                v-if="column.field === 'catId'"
                :model-value="row.record.catId"
                @update:model-value="(catId) => commit(catId)"
                @keydown.esc="editing = undefined"
              />
              <input
                v-else
                v-model="draft"
                class="editor"
                :aria-label="`${column.label} of ${row.name}`"
                @keydown.enter="commitAndMove($event)"
                @keydown.tab="commitAndMove($event)"
                @keydown.esc.stop="editing = undefined"
                @blur="commit(draft)"
                @click.stop
                @dblclick.stop
              />
            </template>
            <template v-else-if="column.key === 'state'"
              ><state-mark :state="row.state" :damaged="row.isDamaged"
            /></template>
            <template v-else>
              <span
                v-if="column.key === 'name' && row.facts.isCutShort"
                class="cut-short"
                title="The file ends before its audio does: restore it from a backup"
                >◧ Cut short</span
              >
              <span
                v-if="column.key === 'name' && row.issues.length > 0"
                class="issue"
                :title="row.issues.map((issue) => issue.message).join('\n')"
                >▲<span class="visually-hidden">Read with a problem</span></span
              >
              <span v-if="column.key === 'name' && row.heldAs" class="there" :title="heldInWords(row.heldAs)"
                >≈<span class="visually-hidden">{{ heldInWords(row.heldAs) }}</span></span
              >
              <span v-if="column.key === 'name' && row.disagreeing.length > 0" class="issue" :title="disagreement(row)"
                >≠<span class="visually-hidden">{{ disagreement(row) }}</span></span
              >
              <span v-if="column.key === 'name' && row.proposals.length > 0" class="there" :title="waitsInWords(row)"
                >◇<span class="visually-hidden">{{ waitsInWords(row) }}</span></span
              >
              <span
                v-if="column.key === 'name' && row.remarks > 0"
                class="there"
                :title="counted(row.remarks, 'remark')"
                >❞ {{ row.remarks }}<span class="visually-hidden">{{ counted(row.remarks, 'remark') }}</span></span
              >
              <span
                v-if="column.key === 'name' && presence.atSound(row.soundId).length > 0"
                class="there"
                :title="`${namesOf(row)} open`"
                >◉ {{ initialsOf(row) }}<span class="visually-hidden">{{ namesOf(row) }} open</span></span
              ><span
                v-if="column.key === 'name' && row.copyCount > 1"
                class="copies"
                :title="`${row.copyCount} copies of this sound`"
                >×{{ row.copyCount }}</span
              ><template v-if="column.key === 'rating'"
                ><span v-if="own(row)?.favourite" class="heart" title="A favourite of yours"
                  >♥<span class="visually-hidden">favourite</span></span
                >{{ '★'.repeat(own(row)?.rating ?? 0) }} <span class="soft">{{ column.text(row) }}</span></template
              ><template v-else-if="wanted && MARKED.has(column.key)"
                ><template v-for="(part, index_) in markFound(column.text(row), wanted)" :key="index_"
                  ><mark v-if="part.found">{{ part.text }}</mark
                  ><template v-else>{{ part.text }}</template></template
                ></template
              ><template v-else>{{ column.text(row) }}</template>
            </template>
          </span>
        </div>
      </div>
      <div v-if="list.rows.value.length === 0" class="empty"><slot name="empty" /></div>
    </div>
    <div class="foot soft" role="status">
      <span>{{
        list.isCounting.value
          ? 'counting …'
          : `${list.isAbout.value ? 'about ' : ''}${counted(list.total.value, 'sound')}`
      }}</span>
      <list-narrowing />
      <strong v-if="list.selectedCount.value > 0">{{
        list.everything.value ? 'All selected' : `${list.selectedCount.value.toLocaleString('en')} selected`
      }}</strong>
      <span v-else class="hint"
        >Click a row or press <kbd>↓</kbd> to hear it{{
          rights.may('assistant') ? ', double-click a field to edit it' : ''
        }}</span
      >
      <slot name="foot" />
    </div>
  </div>
</template>

<style scoped>
.table {
  display: flex;
  flex-direction: column;
  min-width: 0;
  min-height: 0;
  background: var(--surface);
}

.scroller {
  position: relative;
  flex: 1;
  overflow: auto;
  background: var(--surface);
}

.scroller:focus-visible {
  outline-offset: -2px;
}

.body {
  position: relative;
}

.row {
  display: grid;
  grid-template-columns: var(--columns);
  height: v-bind('`${rowHeight}px`');
  border-bottom: 1px solid var(--hairline);
  background: var(--surface);
}

.body .row {
  position: absolute;
  top: 0;
  left: 0;
  width: 100%;
  cursor: default;
}

.group {
  position: absolute;
  left: 0;
  width: 100%;
  height: 26px;
  padding: 5px 10px 0;
  border-bottom: 1px solid var(--hairline);
  background: var(--ground);
  font-size: 12px;
  font-weight: 600;
}

.group span {
  position: sticky;
  left: 10px;
}

.body .row.odd {
  background: color-mix(in srgb, var(--ground) 45%, var(--surface));
}

.body .row:hover {
  background: var(--ground);
}

.body .row.selected {
  background: var(--selected);
}

.body .row.current {
  background: var(--selected);
  box-shadow: inset 3px 0 0 var(--lichen);
}

.head .cell {
  position: relative;
}

.head .cell.pinned {
  position: sticky;
}

.head {
  position: sticky;
  z-index: 3;
  top: 0;
  background: var(--ground);
  font-weight: 500;
}

.cell {
  grid-row: 1;
  padding: 0 8px;
  overflow: hidden;
  line-height: v-bind('`${rowHeight - 1}px`');
  text-overflow: ellipsis;
  white-space: nowrap;
}

.cell.mono {
  font-size: 12px;
}

.cell.right {
  text-align: right;
}

.cell.check {
  padding: 0 4px 0 10px;
}

.check input {
  width: 14px;
  height: 14px;
  margin: 7px 0;
  border: 1px solid var(--hairline);
  appearance: none;
  background: var(--surface);
  color: var(--surface);
  font-size: 11px;
  line-height: 12px;
  text-align: center;
}

.check input:checked {
  border-color: var(--lichen);
  background: var(--lichen);
}

.check input:checked::before {
  content: '✓';
}

.cell.pinned {
  border-right: 1px solid var(--hairline);
}

/*
 * Only once something has gone beneath it: what sticks is a layer of its own in each row, and what inherits from its row makes all cells be
 * styled anew when the row is put elsewhere.
 */
.aside .cell.pinned {
  position: sticky;
  z-index: 1;
  left: 0;
  background: inherit;
}

.cell.block {
  box-shadow: inset 0 0 0 1px var(--lichen);
}

.cell.editing {
  padding: 0 2px;
  overflow: visible;
}

.there {
  margin-right: 4px;
  color: var(--lichen);
  font-size: 11px;
}

.editor {
  width: 100%;
  height: 24px;
  padding: 0 5px;
  border: 1px solid var(--lichen);
  background: var(--surface);
  color: var(--ink);
  font: inherit;
}

mark {
  background: color-mix(in srgb, var(--ochre) 30%, transparent);
  color: inherit;
}

.heart {
  margin-right: 3px;
  color: var(--iron);
}

.issue {
  margin-right: 4px;
  color: var(--ochre);
}

.cut-short {
  margin-right: 5px;
  padding: 0 3px;
  border: 1px solid var(--iron);
  color: var(--iron);
  font-size: 11px;
}

.copies {
  margin-right: 5px;
  padding: 0 3px;
  background: var(--sunken);
  font-size: 11px;
}

.empty {
  position: sticky;
  left: 0;
  padding: 40px;
  text-align: center;
}

.foot {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 10px;
  align-items: center;
  min-height: 28px;
  padding: 1px 12px;
  border-top: 1px solid var(--hairline);
  background: var(--ground);
}

.foot strong {
  color: var(--ink);
  white-space: nowrap;
}

.foot :deep(.el-button + .el-button) {
  margin-left: 0;
}

.foot > span {
  white-space: nowrap;
}

.hint {
  min-width: 0;
  overflow: hidden;
  text-overflow: ellipsis;
}
</style>
