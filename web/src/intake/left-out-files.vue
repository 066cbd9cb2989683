<script setup lang="ts">
import type { Batch, LeftOutFile, Unreadable } from '@flagstone/contract/intake';
import { computed, ref, watch } from 'vue';
import { call } from '../api/client.ts';
import { counted } from '../ui/format.ts';
import { showingErrors } from '../ui/use-errors.ts';

/** What of a batch is in no row of it: files that could not be read, and what was not taken up, each with the reason. */
const props = defineProps<{ batch: Batch; unreadable: Unreadable[] }>();
const files = ref<LeftOutFile[]>([]);
const MOST_SHOWN = 2000;

watch(
  () => [props.batch.id, props.batch.counts.leftOut],
  async () => {
    files.value = (await showingErrors(() => call('listNotTaken', { params: { id: props.batch.id } }))) ?? [];
  },
  { immediate: true },
);

/** By the reason, the most frequent first. */
const groups = computed(() => {
  const by = new Map<string, LeftOutFile[]>();
  for (const file of files.value.slice(0, MOST_SHOWN)) by.set(file.code, [...(by.get(file.code) ?? []), file]);
  return [...by].sort(([, a], [, b]) => b.length - a.length);
});
const TITLES: Record<string, string> = {
  HELD_ALREADY: 'Held already',
  HIDDEN: 'Hidden',
  NO_SOUND: 'No sounds',
  FORMAT_NOT_SUPPORTED: 'Sounds of other formats',
  NOT_SENT: 'Not sent whole',
  PACK_IN_PACK: 'Packs within packs',
};
</script>

<template>
  <section class="left-out">
    <template v-if="unreadable.length > 0">
      <h2>Files that could not be read</h2>
      <p class="soft">They are left exactly as they are. The rest of the folder was read.</p>
      <table class="plain">
        <thead>
          <tr>
            <th>File</th>
            <th>What is wrong</th>
            <th>What to do</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="fault in unreadable" :key="fault.id">
            <td>
              <span class="mono">{{ fault.name || '(the folder)' }}</span>
              <div class="soft">{{ fault.folder }}</div>
            </td>
            <td>{{ fault.message }}</td>
            <td>{{ fault.remedy }}</td>
          </tr>
        </tbody>
      </table>
    </template>
    <h2>Files that were not taken up</h2>
    <p class="soft">
      They are left exactly as they are where they lie; what was handed over is still on the computer that it came from.
      Sounds of other formats can be converted to WAV or FLAC and brought in then.
    </p>
    <p v-if="files.length === 0" class="soft">None.</p>
    <details v-for="[code, group] in groups" :key="code" :open="group.length <= 20">
      <summary>{{ TITLES[code] ?? 'Could not be taken up' }}: {{ counted(group.length, 'file') }}</summary>
      <table class="plain">
        <tbody>
          <tr v-for="file in group" :key="file.path">
            <td class="mono">{{ file.path }}</td>
            <td>{{ file.message }}</td>
          </tr>
        </tbody>
      </table>
    </details>
    <p v-if="files.length > MOST_SHOWN" class="soft">
      and {{ (files.length - MOST_SHOWN).toLocaleString('en') }} more that are not shown here.
    </p>
  </section>
</template>

<style scoped>
.left-out {
  min-width: 0;
  overflow: auto;
  padding: 12px;
  background: var(--surface);
}

h2 + .soft {
  max-width: 72ch;
}

summary {
  padding: 6px 0;
  font-weight: 600;
  cursor: pointer;
}
</style>
