<script setup lang="ts">
import { USE_WORDS, verdictOf, type Use } from '@flagstone/core/licences/terms';
import { computed } from 'vue';
import { call } from '../api/client.ts';
import { useAnswer } from '../ui/use-answer.ts';

/** What the licence of a sound allows, in a line or two; that nobody has read it is said too. */
const props = defineProps<{ licence: string; url: string }>();
const { answer: known } = useAnswer(
  () => JSON.stringify([props.licence, props.url]),
  () => call('getLicence', { query: { name: props.licence.slice(0, 1000), url: props.url.slice(0, 2000) } }),
);

const SHOWN: readonly Use[] = ['film', 'broadcast', 'game', 'online', 'library'];
const SIGNS = { allowed: '✓', open: '▲', forbidden: '✕' } as const;
const lines = computed(() => {
  const terms = known.value?.terms;
  if (!terms) return [];
  const today = new Date().toISOString().slice(0, 10);
  return SHOWN.map((use) => {
    const { verdict, reasons } = verdictOf(terms, { use, isCommercial: true, show: '', today });
    return { use, sign: SIGNS[verdict], verdict, why: reasons.join('; ') };
  });
});
</script>

<template>
  <p v-if="licence === '' && url === ''" class="open">? No licence is known of it.</p>
  <p v-else-if="known && known.terms === null" class="open">? Nobody has said yet what it allows.</p>
  <p v-else class="allows" aria-label="What its licence allows, commercially">
    <span v-for="line in lines" :key="line.use" :class="line.verdict" :title="line.why"
      >{{ line.sign }} {{ USE_WORDS[line.use] }}</span
    >
    <span v-if="known?.terms?.attribution" class="soft">names its author</span>
    <span v-if="known?.terms && known.terms.until !== ''" class="open">until {{ known.terms.until }}</span>
  </p>
</template>

<style scoped>
.allows {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 10px;
}

.allowed {
  color: var(--lichen);
}

.open {
  color: var(--ochre-ink);
}

.forbidden {
  color: var(--iron);
}
</style>
