<script setup lang="ts">
import type { CopyState } from '@flagstone/contract/record';
import { call } from '../api/client.ts';
import { formatBytes } from '../ui/format.ts';
import { showingErrors, tell } from '../ui/use-errors.ts';
import { useAnswer } from '../ui/use-answer.ts';
import StateMark from '../ui/state-mark.vue';

/** The copies of a sound by drive with their state. */
const props = defineProps<{ soundId: number; revision: number; state: CopyState }>();

const emit = defineEmits<{ inspect: [copyId: number] }>();

const { answer: copies } = useAnswer(
  () => props.soundId,
  async (id) => (await call('getSound', { params: { id } })).copies,
  { dependsOn: () => [props.revision, props.state].join() },
);

async function copyPath(path: string): Promise<void> {
  await showingErrors(async () => {
    await navigator.clipboard.writeText(path);
    tell('Path copied', path);
  });
}
</script>

<template>
  <section class="copies">
    <h2>Copies</h2>
    <ul>
      <li v-for="copy in copies" :key="copy.copyId">
        <div class="line">
          <strong>{{ copy.driveName }}</strong><state-mark :state="copy.state" :damaged="copy.isDamaged" />
        </div>
        <div class="mono path">{{ copy.folder }}/{{ copy.name }}</div>
        <div class="line soft">
          <span>{{ copy.container }}, {{ formatBytes(copy.sizeBytes) }}</span>
          <button type="button" class="link" :title="copy.fullPath" @click="copyPath(copy.fullPath)">Copy path</button>
          <button type="button" class="link" @click="emit('inspect', copy.copyId)">In the file</button>
        </div>
        <p v-for="issue in copy.issues" :key="issue.message" class="issue">▲ {{ issue.message }}</p>
      </li>
    </ul>
  </section>
</template>

<style scoped>
.copies {
  padding: 8px 12px;
}

h2 {
  color: var(--ink-soft);
  font-size: 12px;
}

ul {
  margin: 4px 0 12px;
  padding: 0;
  list-style: none;
}

li {
  padding: 4px 0;
  border-bottom: 1px solid var(--hairline);
}

.line {
  display: flex;
  gap: 8px;
  justify-content: space-between;
}

.path {
  overflow-wrap: anywhere;
}

.link {
  padding: 0;
  border: 0;
  background: none;
  color: var(--lichen);
  font: inherit;
  text-decoration: underline;
  cursor: pointer;
}

.issue {
  color: var(--ochre-ink);
}
</style>
