<script setup lang="ts">
import { SURE_SCORE } from '@flagstone/core/suggest/suggest-category';
import { call } from '../api/client.ts';
import { useAnswer } from '../ui/use-answer.ts';

/** The categories proposed for one copy, with the reasons; keys 1 to 5 accept. */
const props = defineProps<{ copyId: number; catId: string }>();
const emit = defineEmits<{ accept: [catId: string] }>();

// A key never gives a sound the category that was suggested for the one before.
const { answer: suggestions } = useAnswer(
  () => props.copyId,
  async (copyId) => (await call('suggest', { body: { copyIds: [copyId] } }))[0]?.suggestions ?? [],
);

function accept(index: number): boolean {
  const suggestion = suggestions.value?.[index];
  if (suggestion) emit('accept', suggestion.catId);
  return suggestion !== undefined;
}

defineExpose({ accept });
</script>

<template>
  <section class="suggestions" aria-label="Suggested categories">
    <h2>Suggested</h2>
    <p v-if="suggestions?.length === 0" class="soft">
      No word of this name or its folders is known. Type the category below.
    </p>
    <button
      v-for="(suggestion, index) in suggestions"
      :key="suggestion.catId"
      type="button"
      class="suggestion"
      :class="{ taken: suggestion.catId === catId }"
      @click="accept(index)"
    >
      <kbd>{{ index + 1 }}</kbd>
      <span class="text">
        <span class="line">
          <span class="mono">{{ suggestion.catId }}</span>
          <span class="soft">{{ suggestion.category }} / {{ suggestion.subCategory }}</span>
        </span>
        <span class="because soft"
          >{{ suggestion.catId === catId ? '✓ chosen · ' : '' }}because of {{ suggestion.because.join(', ') }}</span
        >
      </span>
      <span class="score" :title="suggestion.score < SURE_SCORE ? 'Only a guess' : 'How sure'"
        >{{ suggestion.score < SURE_SCORE ? '?' : '' }}{{ Math.round(suggestion.score * 100) }} %</span
      >
    </button>
  </section>
</template>

<style scoped>
.suggestions {
  padding: 8px 12px;
  border-bottom: 1px solid var(--hairline);
  background: var(--ground);
}

h2 {
  color: var(--ink-soft);
  font-size: 12px;
}

.suggestion {
  display: flex;
  gap: 8px;
  align-items: center;
  width: 100%;
  margin-top: 3px;
  padding: 3px 6px;
  border: 1px solid var(--hairline);
  background: var(--surface);
  color: var(--ink);
  font: inherit;
  text-align: left;
  cursor: pointer;
}

.suggestion:hover {
  border-color: var(--lichen);
}

.suggestion.taken {
  border-color: var(--lichen);
  background: var(--lichen-wash);
}

.text {
  flex: 1;
  min-width: 0;
}

.line {
  display: flex;
  gap: 6px;
  white-space: nowrap;
}

.line .soft,
.because {
  overflow: hidden;
  text-overflow: ellipsis;
}

.because {
  display: block;
  font-size: 12px;
  white-space: nowrap;
}

.score {
  font: 12px var(--mono);
}
</style>
