<script setup lang="ts">
import type { CopyState } from '@flagstone/contract/record';

defineProps<{ state: CopyState }>();

/** A shape and a word for each state; colour only helps. */
const MARKS: Record<CopyState, { shape: string; word: string; explains: string }> = {
  inStep: { shape: '■', word: 'In step', explains: 'The file carries the record.' },
  behind: { shape: '◣', word: 'Behind', explains: 'The record is newer than the file: write it.' },
  ahead: { shape: '◥', word: 'Ahead', explains: 'The file was changed outside Flagstone.' },
  split: { shape: '◆', word: 'Split', explains: 'Both the record and the file were changed.' },
  away: { shape: '□', word: 'Away', explains: 'Its drive is not mounted.' },
  gone: { shape: '✕', word: 'Gone', explains: 'The drive is here, the file is not.' },
};
</script>

<template>
  <span class="mark" :class="state" :title="MARKS[state].explains"
    ><span aria-hidden="true">{{ MARKS[state].shape }}</span> {{ MARKS[state].word }}</span
  >
</template>

<style scoped>
.mark {
  white-space: nowrap;
}

.inStep span {
  color: var(--lichen);
}

.behind span,
.ahead span {
  color: var(--ochre);
}

.split span {
  color: var(--heather);
}

.away span {
  color: var(--ink-soft);
}

.gone span {
  color: var(--iron);
}
</style>
