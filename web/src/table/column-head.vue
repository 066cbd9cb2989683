<script setup lang="ts">
import { Bottom, Top } from '@element-plus/icons-vue';
import type { SoundRow } from '@flagstone/contract/record';
import { computed } from 'vue';
import type { SoundList } from '../lists/use-sound-list.ts';
import { useColumns } from './columns-store.ts';
import type { Column } from './columns.ts';

/** The heading of a column: sorts, is dragged to another place, and is made wider or narrower at its edge. */
const props = defineProps<{ column: Column; list: SoundList; visibleRows: () => SoundRow[] }>();

const layout = useColumns();
/** How the column takes part in the order; undefined when it does not. */
const sorted = computed(() => {
  const keys = props.list.sortKeys.value;
  const place = keys.findIndex(({ key }) => key === props.column.sort);
  const found = keys[place];
  return found && { descending: found.descending, place: keys.length > 1 ? place + 1 : undefined };
});
const ariaSort = computed(() => (!sorted.value ? 'none' : sorted.value.descending ? 'descending' : 'ascending'));

/** What is dragged, so that nothing else is taken for a heading. */
const DRAGGED = 'application/x-flagstone-column';

/** A heading that is let go over another one takes its place. */
function drop(event: DragEvent): void {
  const key = event.dataTransfer?.getData(DRAGGED) ?? '';
  layout.moveTo(
    key,
    layout.shown.findIndex((each) => each.key === props.column.key),
  );
}

function beginResize(event: PointerEvent): void {
  const grip = event.currentTarget as HTMLElement;
  const { clientX: start } = event;
  const { key, width } = props.column;
  grip.setPointerCapture(event.pointerId);
  const follow = (move: PointerEvent): void => layout.resize(key, width + move.clientX - start);
  grip.addEventListener('pointermove', follow);
  grip.addEventListener('lostpointercapture', () => grip.removeEventListener('pointermove', follow), { once: true });
}

/** So many pixels with each press of a key. */
const STEP = 10;
const LETTER = 7;
const AROUND = 24;
/** Makes the column about as wide as the longest of its texts in view. */
function fit(): void {
  const letters = props.visibleRows().map((row) => props.column.text(row).length);
  layout.resize(props.column.key, AROUND + LETTER * Math.max(props.column.label.length, ...letters));
}
</script>

<template>
  <span
    role="columnheader"
    :aria-sort="ariaSort"
    :draggable="column.key !== 'name'"
    @dragstart="$event.dataTransfer?.setData(DRAGGED, column.key)"
    @dragover.prevent
    @drop.prevent="drop"
    @keydown.shift.left.stop.prevent="layout.resize(column.key, column.width - STEP)"
    @keydown.shift.right.stop.prevent="layout.resize(column.key, column.width + STEP)"
  >
    <button
      v-if="column.sort"
      type="button"
      class="sort"
      :title="`Sort by ${column.label}; with Shift within the order there is. Shift+← → makes it narrower or wider`"
      @click="list.sortBy(column.sort, $event.shiftKey)"
    >
      {{ column.label }}
      <component :is="sorted.descending ? Bottom : Top" v-if="sorted" class="arrow" />
      <small v-if="sorted?.place">{{ sorted.place }}</small>
    </button>
    <span v-else tabindex="0" title="Shift+← → makes it narrower or wider">{{ column.label }}</span>
    <span
      class="grip"
      role="separator"
      aria-orientation="vertical"
      :aria-label="`Width of ${column.label}`"
      @pointerdown.stop.prevent="beginResize"
      @dblclick.stop="fit"
    />
  </span>
</template>

<style scoped>
.sort {
  display: inline-flex;
  gap: 3px;
  align-items: center;
  padding: 0;
  border: 0;
  background: none;
  color: inherit;
  font: inherit;
  cursor: pointer;
}

.sort:hover {
  text-decoration: underline;
}

.arrow {
  width: 11px;
}

.grip {
  position: absolute;
  top: 0;
  right: 0;
  width: 6px;
  height: 100%;
  cursor: col-resize;
}

.grip:hover {
  background: var(--hairline);
}
</style>
