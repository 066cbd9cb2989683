<script setup lang="ts" generic="Row">
import { useVirtualizer } from '@tanstack/vue-virtual';
import { computed, ref, watch } from 'vue';

/** Rows of different heights, of which only those in view are made; it says how far somebody has come, so that more can be loaded. */
const props = defineProps<{
  rows: readonly Row[];
  keyOf: (row: Row) => number | string;
  /** Height of a row in pixels before it is known. */
  estimate: number;
  label: string;
}>();
const emit = defineEmits<{ reached: [index: number] }>();

const scroller = ref<HTMLElement>();
const virtual = useVirtualizer(
  computed(() => ({
    count: props.rows.length,
    getScrollElement: () => scroller.value ?? null,
    estimateSize: () => props.estimate,
    overscan: 8,
    getItemKey: (index: number) => {
      const row = props.rows[index];
      return row === undefined ? index : props.keyOf(row);
    },
  })),
);
watch(
  () => virtual.value.getVirtualItems().at(-1)?.index ?? 0,
  (last) => emit('reached', last),
);
</script>

<template>
  <div ref="scroller" class="rows" role="list" tabindex="0" :aria-label="label">
    <div class="body" :style="{ height: `${virtual.getTotalSize()}px` }">
      <div
        v-for="item in virtual.getVirtualItems()"
        :key="String(item.key)"
        :ref="(element) => virtual.measureElement(element as Element | null)"
        :data-index="item.index"
        class="row"
        role="listitem"
        :style="{ transform: `translateY(${item.start}px)` }"
      >
        <template v-for="row in rows.slice(item.index, item.index + 1)" :key="keyOf(row)"><slot :row="row" /></template>
      </div>
    </div>
    <slot name="empty" />
  </div>
</template>

<style scoped>
.rows {
  flex: 1;
  min-height: 0;
  overflow: auto;
  border: 1px solid var(--hairline);
  background: var(--surface);
  contain: strict;
}

.body {
  position: relative;
}

.row {
  position: absolute;
  top: 0;
  left: 0;
  width: 100%;
  padding: 6px 10px;
  border-bottom: 1px solid var(--hairline);
}
</style>
