<script setup lang="ts">
import type { Sheet } from '@flagstone/contract/sheets';
import { ElButton } from 'element-plus';
import { onBeforeUnmount, ref } from 'vue';
import { useRouter } from 'vue-router';
import { z } from 'zod';
import { call, sendFile } from '../api/client.ts';
import { useLive } from '../stores/live.ts';
import { counted, formatWhen } from '../ui/format.ts';
import { showingErrors } from '../ui/use-errors.ts';
import { stateInWords } from './sheet-words.ts';

/** Change sheets that came in, and where one is handed over. */
const router = useRouter();
const live = useLive();
const sheets = ref<Sheet[]>();
const sending = ref(false);
const input = ref<HTMLInputElement>();

async function load(): Promise<void> {
  await showingErrors(async () => {
    sheets.value = await call('listSheets');
  });
}
void load();
onBeforeUnmount(live.onJob((job) => void (job.kind === 'sheet' && job.state !== 'running' && load())));

async function receive(event: Event): Promise<void> {
  const target = event.target as HTMLInputElement;
  const [file] = target.files ?? [];
  if (!file) return;
  sending.value = true;
  const answer = await showingErrors(() => sendFile('/sheets', file, z.object({ id: z.uuid() })));
  sending.value = false;
  // The same file can be chosen again.
  target.value = '';
  if (answer) await router.push(`/drift/sheet/${answer.id}`);
}
async function remove(id: string): Promise<void> {
  await showingErrors(async () => {
    sheets.value = await call('removeSheet', { params: { id } });
  });
}
</script>

<template>
  <section class="panel" aria-label="Change sheets that came in">
    <h2>
      Change sheets
      <el-button size="small" :loading="sending" @click="input?.click()">Apply a change sheet…</el-button>
      <input
        ref="input"
        type="file"
        accept=".zip"
        class="visually-hidden"
        aria-label="The change sheet"
        @change="receive"
      />
    </h2>
    <p v-if="sheets?.length === 0" class="soft">
      None came in yet. A change sheet brings records and names from a house that holds the same audio; nothing changes
      before you have seen what differs.
    </p>
    <ul>
      <li v-for="sheet in sheets" :key="sheet.id">
        <router-link :to="`/drift/sheet/${sheet.id}`"
          >{{ sheet.manifest.house.name || 'Another house' }}, {{ formatWhen(sheet.manifest.madeAt) }}</router-link
        >
        <span>{{ counted(sheet.counts.total, 'sound') }}</span>
        <span class="soft">{{ stateInWords(sheet) }}</span>
        <button
          type="button"
          class="in-line-button"
          :aria-label="`Forget the sheet of ${formatWhen(sheet.manifest.madeAt)}`"
          :disabled="sheet.state === 'applying'"
          @click="remove(sheet.id)"
        >
          ✕
        </button>
      </li>
    </ul>
  </section>
</template>

<style scoped>
.panel {
  padding: 10px 14px;
}

h2 {
  display: flex;
  gap: 12px;
  align-items: center;
}

ul {
  margin: 6px 0 0;
  padding: 0;
  list-style: none;
}

li {
  display: grid;
  grid-template-columns: 1fr auto auto auto;
  gap: 12px;
  padding: 4px 0;
}
</style>
