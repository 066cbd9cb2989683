<script setup lang="ts">
import type { SessionSeen } from '@flagstone/contract/people';
import { ElButton } from 'element-plus';
import { ref } from 'vue';
import { call } from '../api/client.ts';
import { formatWhen } from '../ui/format.ts';
import { showingErrors } from '../ui/use-errors.ts';
import { browserName } from './browser-name.ts';

const sessions = ref<SessionSeen[]>([]);
defineExpose({ show: (now: SessionSeen[]) => (sessions.value = now) });
void showingErrors(async () => {
  sessions.value = await call('listSessions');
});

async function end(id: number): Promise<void> {
  await showingErrors(async () => {
    sessions.value = await call('endSession', { params: { id } });
  });
}
</script>

<template>
  <section aria-label="Sessions">
    <h2>Where you are signed in</h2>
    <p class="soft">A session is over after twelve hours in which nothing was done, and after seven days.</p>
    <div class="panel list">
      <table class="plain">
        <thead>
          <tr>
            <th>Browser</th>
            <th>Address</th>
            <th>Signed in</th>
            <th>Last used</th>
            <th></th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="each in sessions" :key="each.id">
            <td>
              <span :title="each.browser">{{ browserName(each.browser) }}</span><strong v-if="each.isThis">
                ● this one</strong
              >
            </td>
            <td class="mono">{{ each.address }}</td>
            <td>{{ formatWhen(each.beganAt) }}</td>
            <td>{{ formatWhen(each.seenAt) }}</td>
            <td class="acts">
              <el-button
                v-if="!each.isThis"
                :aria-label="`End the session in ${browserName(each.browser)}`"
                @click="end(each.id)"
                >End</el-button
              >
            </td>
          </tr>
        </tbody>
      </table>
    </div>
  </section>
</template>

<style scoped>
.list {
  max-width: 900px;
  margin-top: 8px;
  padding: 4px 14px;
}

.list td {
  vertical-align: middle;
}

.acts {
  text-align: right;
}
</style>
