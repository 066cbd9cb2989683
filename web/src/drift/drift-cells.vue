<script setup lang="ts">
import type { DriftCounts } from '@flagstone/contract/drift';
import { useRights } from '../stores/rights.ts';
import { counted } from '../ui/format.ts';
import { DRIFT_COLUMNS, type DriftColumn } from './drift-columns.ts';
import { listBehind } from './drift-rows.ts';

/** The numbers of a line of the matrix, each with the list behind it. */
const props = defineProps<{
  counts: DriftCounts;
  /** What the list is narrowed by, beside the state. */
  of: Parameters<typeof listBehind>[1];
  /** What the numbers are of, for those who hear them, as “on Mill Race”. */
  where: string;
}>();

const rights = useRights();

/** Where a number leads; undefined where there is no list of it for this person. */
function listOf({ state, opens }: DriftColumn) {
  if (opens === 'intake') return rights.may('assistant') ? '/intake' : undefined;
  return { path: '/catalogue', query: listBehind(state, props.of) };
}
</script>

<template>
  <td
    v-for="column in DRIFT_COLUMNS"
    :key="column.state"
    class="count"
    :class="{ work: column.needsWork && counts[column.state] > 0 }"
  >
    <span v-if="counts[column.state] === 0" class="none">·<span class="visually-hidden">none</span></span>
    <component
      :is="listOf(column) ? 'router-link' : 'span'"
      v-else
      :to="listOf(column)"
      :aria-label="`${counted(counts[column.state], 'file')} ${column.word} ${where}`"
      >{{ counts[column.state].toLocaleString('en') }}</component
    >
  </td>
</template>

<style scoped>
.count {
  height: 28px;
  padding: 2px 10px;
  border-bottom: 1px solid var(--hairline);
  text-align: right;
  font-variant-numeric: tabular-nums;
}

.work {
  background: var(--ochre-wash);
}

.work a {
  font-weight: 600;
}

.none {
  color: var(--ink-soft);
}
</style>
