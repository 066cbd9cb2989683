<script setup lang="ts">
import type { RelationKind } from '@flagstone/core/words/thesaurus';
import { computed } from 'vue';
import { RELATION_WORDS } from '../ui/relation-words.ts';
import type { useQueryReading } from './use-query-reading.ts';

/** What a search was read as: words that were put right, and words that mean about the same, which go beside those typed by a click. */
const props = defineProps<{ reading: ReturnType<typeof useQueryReading> }>();

const SIGNS: Record<RelationKind, string> = { same: '=', broader: '↑', narrower: '↓', heard: '♪' };

const replaced = computed(() =>
  props.reading.corrected.value === null
    ? []
    : (props.reading.reading.value?.words ?? []).filter(({ instead }) => instead !== null),
);
</script>

<template>
  <div v-if="replaced.length > 0 || reading.related.value.length > 0" class="notes">
    <p v-if="replaced.length > 0" role="status" class="put-right">
      <template v-for="{ text, instead } in replaced" :key="text"
        >Nothing for “{{ text }}”; showing <strong>“{{ instead }}”</strong>.
      </template>
      <button type="button" class="in-line-button" @click="reading.refuse()">Search as typed</button>
    </p>
    <div v-if="reading.related.value.length > 0" class="also" role="group" aria-label="Words beside those typed">
      <span class="soft">Also:</span>
      <button
        v-for="each in reading.related.value"
        :key="each.pair"
        type="button"
        class="chip"
        :class="{ on: each.on }"
        :aria-pressed="each.on"
        :title="`${each.word}: ${RELATION_WORDS[each.kind]} (of “${each.of}”), in ${each.sounds.toLocaleString('en')} sounds`"
        @click="reading.turn(each.pair)"
      >
        <span aria-hidden="true">{{ each.on ? '✓' : SIGNS[each.kind] }}</span> {{ each.word }}
        <span class="count">{{ each.sounds.toLocaleString('en') }}</span>
      </button>
    </div>
  </div>
</template>

<style scoped>
.notes {
  padding: 4px 12px;
  border-bottom: 1px solid var(--hairline);
  background: var(--ground);
}

p {
  margin: 2px 0;
}

.also {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 6px;
  align-items: center;
  max-height: 52px;
  overflow: auto;
}

.chip {
  padding: 0 6px;
  border: 1px solid var(--hairline);
  background: var(--surface);
  color: var(--ink);
  font: inherit;
  line-height: 20px;
  cursor: pointer;
}

.chip.on {
  border-color: var(--lichen);
  background: color-mix(in srgb, var(--lichen) 14%, var(--surface));
}

.count {
  color: var(--ink-soft);
  font-size: 12px;
}
</style>
