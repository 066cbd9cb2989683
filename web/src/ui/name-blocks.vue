<script setup lang="ts">
import {
  BLOCK_LABELS,
  BLOCK_NAMES,
  REQUIRED_BLOCKS,
  type BlockName,
  type NameBlocks,
} from '@flagstone/core/naming/name-blocks';
import { computed } from 'vue';

/** A name laid in blocks, side by side. A missing or illegal block is seen as such; a click asks for the field behind it. */
const props = defineProps<{
  blocks: NameBlocks;
  extension?: string;
  problems?: { severity: string; block?: string | undefined; message: string }[];
}>();
defineEmits<{ edit: [block: BlockName] }>();

const laid = computed(() =>
  BLOCK_NAMES.flatMap((name) => {
    const value = props.blocks[name] ?? '';
    const problem = props.problems?.find((candidate) => candidate.block === name);
    const missing = value === '' && REQUIRED_BLOCKS.includes(name);
    return value === '' && !missing
      ? []
      : [{ name, value, missing, problem, error: missing || problem?.severity === 'error' }];
  }),
);

const SEPARATORS: Partial<Record<BlockName, string>> = {
  userCategory: '-',
  vendorCategory: '_',
  fxName: '_',
  creatorId: '_',
  sourceId: '_',
  userData: '_',
};

function separatorBefore(name: BlockName): string {
  if (name === 'fxName' && (props.blocks.vendorCategory ?? '') !== '') return '-';
  return SEPARATORS[name] ?? '';
}
</script>

<template>
  <span class="blocks">
    <template v-for="block in laid" :key="block.name">
      <span v-if="separatorBefore(block.name)" class="joint" aria-hidden="true">{{ separatorBefore(block.name) }}</span>
      <button
        type="button"
        class="block"
        :class="{ error: block.error, notice: block.problem?.severity === 'notice' }"
        :title="`${BLOCK_LABELS[block.name]}${block.problem ? `: ${block.problem.message}` : ''}. Click to edit.`"
        :aria-label="`${BLOCK_LABELS[block.name]}: ${block.missing ? 'missing' : block.value}. Edit`"
        @click.stop="$emit('edit', block.name)"
      >
        <template v-if="block.missing"><span aria-hidden="true">+</span> {{ BLOCK_LABELS[block.name] }}</template>
        <template v-else>{{ block.value }}</template>
      </button>
    </template>
    <span v-if="extension" class="joint mono">{{ extension }}</span>
  </span>
</template>

<style scoped>
.blocks {
  display: inline-flex;
  flex-wrap: wrap;
  gap: 2px 1px;
  align-items: center;
  font: 12px/18px var(--mono);
}

.block {
  padding: 1px 5px;
  border: 1px solid var(--hairline);
  background: var(--sunken);
  color: var(--ink);
  font: inherit;
  text-align: left;
  cursor: pointer;
}

.block:hover {
  border-color: var(--ink-soft);
}

.block.notice {
  border-color: var(--ochre);
  border-bottom-width: 2px;
}

.block.error {
  border: 1px dashed var(--iron);
  background: var(--iron-wash);
  color: var(--iron);
}

.joint {
  color: var(--ink-soft);
}
</style>
