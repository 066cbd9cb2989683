<script setup lang="ts">
import type { Lost, SettleLost } from '@flagstone/contract/lost';
import { ElButton } from 'element-plus';
import { onBeforeUnmount, ref } from 'vue';
import { call } from '../api/client.ts';
import { counted } from '../ui/format.ts';
import { showingErrors } from '../ui/use-errors.ts';
import { useLive } from '../stores/live.ts';
import SetupRelocation from './setup-relocation.vue';

/** Files that are gone from drives that are here, with the files that may be them. */
const lost = ref<Lost[]>([]);
const total = ref(0);
const certain = ref(0);
const next = ref<number | null>(null);

async function load(after = 0): Promise<void> {
  await showingErrors(async () => {
    const page = await call('listLost', { query: { after } });
    lost.value = after === 0 ? page.lost : [...lost.value, ...page.lost];
    total.value = page.total;
    certain.value = page.certain;
    next.value = page.next;
  });
}
void load();
onBeforeUnmount(useLive().onJob((job) => job.kind === 'index' && job.state === 'done' && void load()));

async function settle(body: SettleLost): Promise<void> {
  await showingErrors(() => call('settleLost', { body }));
  await load();
}

const MARKS = { certain: '● Certain', likely: '◐ Likely', possible: '○ Possible' } as const;
</script>

<template>
  <p class="soft">
    Files that were on a drive which is here, and are there no more. Their records stay in any case. When a file is
    moved on its drive, reading the folder again finds it by itself; here stands what was moved to another drive,
    replaced or deleted.
  </p>
  <p v-if="total === 0">✓ No file is lost.</p>
  <section v-else class="panel lost">
    <p class="head">
      <strong>{{ counted(total, 'lost file') }}</strong>
      <el-button v-if="certain > 0" type="primary" @click="settle({ what: 'certain' })">
        Reconnect {{ counted(certain, 'file') }} that {{ certain === 1 ? 'is' : 'are' }} certain
      </el-button>
    </p>
    <table class="plain">
      <thead>
        <tr>
          <th>Lost file</th>
          <th>May be</th>
          <th>How sure</th>
          <th></th>
        </tr>
      </thead>
      <tbody v-for="file in lost" :key="file.copyId">
        <tr v-for="(candidate, index) in file.candidates" :key="candidate.copyId">
          <td class="mono">{{ index === 0 ? `${file.driveName} / ${file.folder}/${file.name}` : '' }}</td>
          <td class="mono">{{ candidate.driveName }} / {{ candidate.folder }}/{{ candidate.name }}</td>
          <td>
            {{ MARKS[candidate.confidence] }}
            <div class="soft">{{ candidate.because }}</div>
          </td>
          <td>
            <el-button
              size="small"
              :title="
                candidate.confidence === 'certain'
                  ? 'The sound is held by this file; the lost one goes off the list'
                  : 'Its record gets what the record of the lost file says; this can be undone'
              "
              @click="settle({ what: 'reconnect', lostCopyId: file.copyId, copyId: candidate.copyId })"
              >{{ candidate.confidence === 'certain' ? 'Reconnect' : 'Take the record over' }}</el-button
            >
          </td>
        </tr>
        <tr v-if="file.candidates.length === 0">
          <td class="mono">{{ file.driveName }} / {{ file.folder }}/{{ file.name }}</td>
          <td class="soft">No file that is known is like it</td>
          <td></td>
          <td>
            <el-button size="small" @click="settle({ what: 'clear', lostCopyId: file.copyId })"
              >Take off the list</el-button
            >
          </td>
        </tr>
      </tbody>
    </table>
    <el-button v-if="next !== null" @click="load(next)">Show more</el-button>
  </section>
  <setup-relocation />
</template>

<style scoped>
.lost {
  margin-top: 12px;
  padding: 10px 14px;
}

.head {
  margin: 0 0 8px;
  display: flex;
  gap: 12px;
  align-items: center;
}

td {
  overflow-wrap: anywhere;
  vertical-align: top;
}
</style>
