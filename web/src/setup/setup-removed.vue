<script setup lang="ts">
import type { RemovedSound } from '@flagstone/contract/removals';
import { ElButton, ElCheckbox, ElInput } from 'element-plus';
import { computed, onBeforeUnmount, ref, watch } from 'vue';
import { call } from '../api/client.ts';
import { counted, formatWhen } from '../ui/format.ts';
import { useAsking } from '../ui/use-asking.ts';
import { showingErrors, tell } from '../ui/use-errors.ts';
import { useLive } from '../stores/live.ts';

/** What was taken out of the catalogue, by whom and why; each can be brought back. */
const live = useLive();
const words = ref('');
const sounds = ref<RemovedSound[]>([]);
const next = ref<string | null>(null);
const total = ref(0);
const chosen = ref(new Set<number>());
const ask = useAsking();

async function load(more = false): Promise<void> {
  const signal = ask();
  const query = { q: words.value, ...(more && next.value !== null ? { after: next.value } : {}) };
  const page = await showingErrors(() => call('listRemoved', { query, signal }));
  if (!page || signal.aborted) return;
  sounds.value = more ? [...sounds.value, ...page.sounds] : page.sounds;
  next.value = page.next;
  total.value = page.total;
  const here = new Set(sounds.value.map(({ soundId }) => soundId));
  chosen.value = new Set([...chosen.value].filter((id) => here.has(id)));
}
void load();
watch(words, () => void load());
onBeforeUnmount(live.onAnything(() => void load()));

const areAll = computed(() => sounds.value.length > 0 && chosen.value.size === sounds.value.length);
function choose(id: number, on: boolean): void {
  const now = new Set(chosen.value);
  if (on) now.add(id);
  else now.delete(id);
  chosen.value = now;
}

async function bringBack(): Promise<void> {
  const soundIds = [...chosen.value];
  const done = await showingErrors(() => call('bringBack', { body: { soundIds } }));
  if (!done) return;
  tell(`${counted(done.broughtBack, 'sound')} back in the catalogue`, 'As they were filed before.');
  chosen.value = new Set();
  await load();
}
</script>

<template>
  <p class="soft">
    Sounds that somebody took out of the catalogue. Their files stand where they stood, and reading their folders again
    does not bring them back; from here they come back as they were.
  </p>
  <div class="tools">
    <el-input v-model="words" clearable placeholder="Name, folder or reason" aria-label="Narrow the list" />
    <span class="soft">{{ counted(total, 'sound') }}</span>
    <el-button type="primary" :disabled="chosen.size === 0" @click="bringBack"
      >Bring {{ counted(chosen.size, 'sound') }} back</el-button
    >
  </div>
  <p v-if="sounds.length === 0" class="soft">{{ words === '' ? 'Nothing was taken out.' : 'None has these words.' }}</p>
  <table v-else class="plain">
    <thead>
      <tr>
        <th>
          <el-checkbox
            :model-value="areAll"
            aria-label="All that are shown"
            @update:model-value="(on) => (chosen = new Set(on === true ? sounds.map(({ soundId }) => soundId) : []))"
          />
        </th>
        <th>Sound</th>
        <th>Why</th>
        <th>By</th>
        <th>When</th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="sound in sounds" :key="sound.soundId">
        <td>
          <el-checkbox
            :model-value="chosen.has(sound.soundId)"
            :aria-label="sound.name"
            @update:model-value="(on) => choose(sound.soundId, on === true)"
          />
        </td>
        <td>
          <span class="mono">{{ sound.name }}</span>
          <div class="soft">{{ sound.driveName }} / {{ sound.folder }}</div>
        </td>
        <td>{{ sound.reason }}</td>
        <td>{{ sound.person }}</td>
        <td>{{ formatWhen(sound.removedAt) }}</td>
      </tr>
    </tbody>
  </table>
  <p v-if="next !== null"><el-button @click="load(true)">Show more</el-button></p>
</template>

<style scoped>
.tools {
  display: flex;
  gap: 12px;
  align-items: center;
  max-width: 640px;
  margin: 8px 0;
}
</style>
