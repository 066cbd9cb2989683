<script setup lang="ts">
import type { Arrival } from '@flagstone/contract/arrivals';
import { ElButton, ElMessageBox, ElProgress } from 'element-plus';
import { computed, onBeforeUnmount, ref } from 'vue';
import { call } from '../api/client.ts';
import { counted, formatBytes, formatWhen } from '../ui/format.ts';
import { showingErrors } from '../ui/use-errors.ts';
import { useLive } from '../stores/live.ts';
import { useArriving } from './arriving-store.ts';

/** What is on its way in: sent from this page or another one, or being put into its folder. */
const arriving = useArriving();
const live = useLive();
const all = ref<Arrival[]>([]);

async function load(): Promise<void> {
  all.value = (await showingErrors(() => call('listArrivals'))) ?? all.value;
}
void load();
onBeforeUnmount(live.onAnything(() => void load()));
onBeforeUnmount(live.onJob((job) => job.kind === 'arrive' && void load()));

const lines = computed(() =>
  all.value
    .filter(({ state }) => state !== 'done')
    .map((arrival) => {
      const own = arriving.find(arrival.id);
      const { here, announced } = arrival.files;
      const all = own?.progress.files ?? here + announced;
      const done = own?.progress.doneFiles ?? here;
      const [sentBytes, bytes] = own
        ? [own.progress.sentBytes, own.progress.bytes]
        : [arrival.bytes.here, arrival.bytes.all];
      return {
        arrival,
        own,
        all,
        done,
        sentBytes,
        bytes,
        percent: bytes === 0 ? 0 : Math.floor((100 * sentBytes) / bytes),
      };
    }),
);

const STATES = { waiting: '○ Waits for its turn', sending: '▶ Being sent', paused: 'Ⅱ Paused', stopped: '✕ Stopped' };
function stateOf({ arrival, own }: (typeof lines.value)[number]): string {
  if (arrival.state === 'placing')
    return arrival.isUnderWay ? '▶ Being put into its folder' : '■ Stopped on the way into its folder';
  return own ? STATES[own.state] : '□ Not sent from this page: hand the same files over again to go on';
}

async function close(arrival: Arrival, how: 'take' | 'giveUp', isKnown = false): Promise<void> {
  const { here, announced } = arrival.files;
  const question =
    how === 'take'
      ? `${counted(here, 'file')} of “${arrival.name}” ${here === 1 ? 'is' : 'are'} here and ${here === 1 ? 'comes' : 'come'} into the batch; ${announced.toLocaleString('en')} that ${announced === 1 ? 'was' : 'were'} not sent whole ${announced === 1 ? 'is' : 'are'} listed as left out.`
      : `What was sent of “${arrival.name}” (${formatBytes(arrival.bytes.here)}) is removed from the server. The files on the computer that they come from stay.`;
  const options = {
    confirmButtonText: how === 'take' ? 'Take what is here' : 'Give it up',
    cancelButtonText: 'Leave it',
    type: 'warning',
  } as const;
  const isSure = isKnown || (await ElMessageBox.confirm(question, 'Bring in', options).catch(() => undefined));
  if (isSure) await arriving.close(arrival.id, how);
  await load();
}
</script>

<template>
  <section v-if="lines.length > 0" class="panel lines" aria-label="On their way">
    <h2>On their way</h2>
    <ul>
      <li v-for="line in lines" :key="line.arrival.id">
        <div class="what">
          <strong>{{ line.arrival.name }}</strong>
          <span class="soft">{{ line.arrival.person }}, {{ formatWhen(line.arrival.createdAt) }}</span>
          <span class="state">{{ stateOf(line) }}</span>
        </div>
        <div v-if="line.arrival.state === 'placing' && !line.arrival.isUnderWay" class="acts">
          <span class="soft"
            >{{ line.arrival.files.placed.toLocaleString('en') }} of
            {{ counted(line.arrival.files.placed + line.arrival.files.here, 'file') }} are there; nothing is lost.</span
          >
          <el-button size="small" type="primary" @click="close(line.arrival, 'take', true)">Go on</el-button>
        </div>
        <template v-if="line.arrival.state === 'receiving'">
          <el-progress
            :percentage="line.percent"
            :aria-label="`${line.percent} percent of ${line.arrival.name} sent`"
          />
          <div class="acts">
            <span class="soft"
              >{{ line.done.toLocaleString('en') }} of {{ counted(line.all, 'file') }},
              {{ formatBytes(line.sentBytes) }} of {{ formatBytes(line.bytes) }}</span
            >
            <span v-if="line.own && line.own.progress.failed.length > 0" class="failed"
              >✕ {{ counted(line.own.progress.failed.length, 'file') }} could not be sent:
              {{ line.own.progress.failed[0]?.path }}: {{ line.own.progress.failed[0]?.why }}</span
            >
            <el-button v-if="line.own?.state === 'sending'" size="small" @click="arriving.pause(line.arrival.id)"
              >Pause</el-button
            >
            <el-button
              v-else-if="line.own && line.own.state !== 'waiting'"
              size="small"
              type="primary"
              @click="arriving.goOn(line.arrival.id)"
              >Go on</el-button
            >
            <el-button
              v-if="line.own?.state !== 'sending'"
              size="small"
              :disabled="line.arrival.files.here === 0"
              @click="close(line.arrival, 'take')"
              >Take what is here</el-button
            >
            <el-button v-if="line.own?.state !== 'sending'" size="small" @click="close(line.arrival, 'giveUp')"
              >Give up</el-button
            >
          </div>
        </template>
      </li>
    </ul>
  </section>
</template>

<style scoped>
.lines {
  padding: 12px 16px;
}

ul {
  margin: 8px 0 0;
  padding: 0;
  list-style: none;
}

li + li {
  margin-top: 10px;
  padding-top: 10px;
  border-top: 1px solid var(--hairline);
}

.what,
.acts {
  display: flex;
  gap: 12px;
  align-items: baseline;
}

.acts {
  align-items: center;
}

.failed {
  overflow: hidden;
  max-width: 480px;
  color: var(--iron);
  text-overflow: ellipsis;
  white-space: nowrap;
}

.acts .el-button + .el-button {
  margin-left: 0;
}
</style>
