<script setup lang="ts">
import { call } from '../api/client.ts';
import { formatBytes } from '../ui/format.ts';
import { formInWords } from '../ui/held-words.ts';
import { useAnswer } from '../ui/use-answer.ts';
import type { SoundRow } from '@flagstone/contract/record';

/** The other sounds that hold the same recording, the best first: which to keep is for people to say. */
const props = defineProps<{ row: SoundRow }>();

const { answer: forms } = useAnswer(
  () => props.row.soundId,
  (id) => call('listOtherForms', { params: { id } }),
  { dependsOn: () => [props.row.heldAs?.soundId, props.row.heldAs?.quality].join() },
);

const formatOf = ({ facts }: SoundRow): string =>
  [
    facts.codec === 'PCM' ? facts.container : facts.codec,
    `${facts.sampleRateHz / 1000} kHz`,
    ...(facts.bitDepth > 0 ? [`${facts.bitDepth} bit`] : []),
    `${facts.channels} ch`,
  ].join(', ');
</script>

<template>
  <section v-if="forms && forms.length > 0" class="forms">
    <h2>The same recording in another form</h2>
    <ul>
      <li v-for="{ row: other, ...form } in forms" :key="other.soundId">
        <div class="line">
          <router-link class="mono name" :to="`/sounds/${other.soundId}`">{{ other.name }}</router-link>
          <span class="how">{{ formInWords(form) }}</span>
        </div>
        <div class="soft">{{ other.driveName }}: {{ other.folder }}</div>
        <div class="soft">
          {{ formatOf(other) }}, {{ formatBytes(other.sizeBytes) }}{{ other.filed ? '' : ', in preparation' }}
        </div>
      </li>
    </ul>
  </section>
</template>

<style scoped>
.forms {
  padding: 8px 12px;
  border-bottom: 1px solid var(--hairline);
  background: var(--ground);
}

h2 {
  color: var(--ink-soft);
  font-size: 12px;
}

ul {
  overflow: auto;
  max-height: 180px;
  margin: 4px 0;
  padding: 0;
  list-style: none;
}

li {
  padding: 4px 0;
}

.line {
  display: flex;
  gap: 8px;
  justify-content: space-between;
}

.name {
  overflow-wrap: anywhere;
}

.how {
  flex: none;
  max-width: 45%;
  text-align: right;
}
</style>
