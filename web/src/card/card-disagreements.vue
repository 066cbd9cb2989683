<script setup lang="ts">
import type { Selection } from '@flagstone/contract/selection';
import { fieldLabel } from '@flagstone/core/record/fields';
import { useRoute } from 'vue-router';
import { call } from '../api/client.ts';
import { counted } from '../ui/format.ts';
import { useAnswer } from '../ui/use-answer.ts';

/** For many files: how many of them say different things in different places, and in which fields. */
const props = defineProps<{ selection: Selection }>();

const route = useRoute();
const { answer: found } = useAnswer(
  () => JSON.stringify(props.selection),
  () => call('countDisagreements', { body: { selection: props.selection } }),
);
</script>

<template>
  <section v-if="found" class="part">
    <h2>Files that disagree with themselves</h2>
    <p v-if="found.disagreeing === 0">✓ In {{ counted(found.files, 'file') }} all places say the same.</p>
    <template v-else>
      <p class="warn">
        ▲ {{ counted(found.disagreeing, 'file') }} of {{ found.files.toLocaleString('en') }} say different things in
        different places
      </p>
      <table class="plain">
        <thead>
          <tr>
            <th>Field</th>
            <th class="number">Files</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="each in found.fields" :key="each.field">
            <td>
              <router-link :to="{ query: { ...route.query, disagrees: each.field } }">{{
                fieldLabel(each.field)
              }}</router-link>
            </td>
            <td class="number">{{ each.files.toLocaleString('en') }}</td>
          </tr>
        </tbody>
      </table>
      <p class="soft hint">
        A field shows only the files that disagree on it. Writing the records puts one value into all of their places.
      </p>
    </template>
  </section>
  <p v-else class="soft part" role="status">Counting…</p>
</template>

<style scoped>
.part {
  padding: 8px 12px;
}

h2 {
  margin-bottom: 4px;
  color: var(--ink-soft);
  font-size: 12px;
}

.warn {
  color: var(--ochre-ink);
}

.number {
  text-align: right;
  font-variant-numeric: tabular-nums;
}

.hint {
  margin-top: 8px;
}
</style>
