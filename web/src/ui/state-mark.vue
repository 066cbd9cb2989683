<script setup lang="ts">
import { COPY_STATES, type CopyState } from '@flagstone/core/record/copy-states';

/** A shape and a word for each state; colour only helps. */
defineProps<{ state: CopyState; damaged?: boolean }>();
</script>

<template>
  <span v-if="damaged" class="mark broken" title="The file does not hold its audio any more: restore it"
    ><span aria-hidden="true">⚡</span> Damaged</span
  >
  <span v-else class="mark" :class="state" :title="COPY_STATES[state].explains"
    ><span aria-hidden="true">{{ COPY_STATES[state].shape }}</span> {{ COPY_STATES[state].word }}</span
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

.broken {
  color: var(--iron);
  font-weight: 600;
}

.gone span {
  color: var(--iron);
}
</style>
