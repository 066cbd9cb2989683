<script setup lang="ts">
import type { Backups } from '@flagstone/contract/backups';
import { ElAlert, ElButton, ElInput } from 'element-plus';
import { computed, onBeforeUnmount, ref } from 'vue';
import { call } from '../api/client.ts';
import FolderPicker from '../ui/folder-picker.vue';
import { counted, formatBytes, formatWhen } from '../ui/format.ts';
import PickOne from '../ui/pick-one.vue';
import { showingErrors, tell } from '../ui/use-errors.ts';
import ValueNumber from '../ui/value-number.vue';
import { useLive } from '../stores/live.ts';

/** When the database is backed up by itself, and how that goes. */
const live = useLive();
const backups = ref<Backups>();
const folder = ref('');
/** By the clock of whoever looks. */
const hour = ref(3);
const keep = ref(14);
const picking = ref(false);
const busy = ref(false);

/** What the server keeps is by the clock of UTC; zones that are off by half an hour round. */
const OFFSET_HOURS = Math.round(-new Date().getTimezoneOffset() / 60);
const wrapped = (value: number): number => (value + 24) % 24;
const HOURS = Array.from({ length: 24 }, (_, value) => ({ value, label: `${String(value).padStart(2, '0')}:00` }));

function show(now: Backups): void {
  const isFirst = backups.value === undefined;
  backups.value = now;
  // What somebody is typing stays.
  if (!isFirst || !now.schedule) return;
  folder.value = now.schedule.folder;
  hour.value = wrapped(now.schedule.hour + OFFSET_HOURS);
  keep.value = now.schedule.keep;
}

async function load(): Promise<void> {
  await showingErrors(async () => show(await call('getBackups')));
}
void load();
onBeforeUnmount(live.onJob((job) => job.kind === 'backup' && void load()));

const isChanged = computed(() => {
  const kept = backups.value?.schedule;
  return (
    folder.value.trim() !== (kept?.folder ?? '') ||
    hour.value !== (kept ? wrapped(kept.hour + OFFSET_HOURS) : -1) ||
    keep.value !== kept?.keep
  );
});

async function set(isOn: boolean): Promise<void> {
  busy.value = true;
  const schedule = isOn
    ? { folder: folder.value.trim(), hour: wrapped(hour.value - OFFSET_HOURS), keep: keep.value }
    : null;
  const now = await showingErrors(() => call('setBackups', { body: { schedule } }));
  busy.value = false;
  if (!now) return;
  show(now);
  if (now.schedule) folder.value = now.schedule.folder;
  tell(
    isOn ? 'The database is backed up every day' : 'No more backups are made by themselves',
    isOn ? 'The first one at the next such hour, or now with “Back up now”.' : 'Those that were made stay.',
  );
}

async function now(): Promise<void> {
  const job = await showingErrors(() => call('makeBackup'));
  if (job) tell('Backing up', 'People go on working meanwhile. It is restored by itself once, to see that it can be.');
}
</script>

<template>
  <template v-if="backups">
    <p class="soft about">
      The whole database: records, histories, lists, people, keys. Sound files are not in it. Each backup is restored
      into a database of its own and compared before it counts.
    </p>
    <el-alert v-if="backups.error !== ''" type="error" :closable="false" show-icon>
      The last backup failed: {{ backups.error }}
    </el-alert>
    <el-alert v-else-if="backups.isOverdue" type="warning" :closable="false" show-icon>
      A backup is overdue: no process took it up. Is a server or worker running at that hour, that sees the folder?
    </el-alert>
    <dl class="facts">
      <dt>Last one</dt>
      <dd v-if="backups.last">
        ✓ {{ formatWhen(backups.last.at) }}, {{ formatBytes(backups.last.bytes) }}
        <span class="mono soft">{{ backups.last.path }}</span>
      </dd>
      <dd v-else>○ None was made yet</dd>
      <dt>Encrypted</dt>
      <dd v-if="backups.isEncrypted">■ With the pass phrase that the server was told</dd>
      <dd v-else>□ No. <code>FLAGSTONE_BACKUP_PASSPHRASE_FILE</code> names a file with a pass phrase to the server.</dd>
    </dl>
    <form class="schedule" @submit.prevent="set(true)">
      <label class="folder"
        >Folder <el-input v-model="folder" aria-label="Folder for backups" placeholder="A folder on another disk" />
      </label>
      <el-button @click="picking = true">Choose…</el-button>
      <label
        >Every day at
        <pick-one
          class="hour"
          label="Hour of the backup"
          :value="hour"
          :choices="HOURS"
          @pick="(picked) => (hour = picked)"
      /></label>
      <label
        >Keep the last
        <value-number
          :value="keep"
          :min="0"
          :max="1000"
          :step="1"
          label="How many backups are kept; 0 for all"
          @set="(value) => (keep = value)"
        />
        {{ keep === 0 ? '(all)' : '' }}</label
      >
      <el-button type="primary" native-type="submit" :loading="busy" :disabled="folder.trim() === '' || !isChanged">{{
        backups.schedule ? 'Change' : 'Back up every day'
      }}</el-button>
      <el-button v-if="backups.schedule" @click="now">Back up now</el-button>
      <el-button v-if="backups.schedule" :disabled="busy" @click="set(false)">No more</el-button>
    </form>
    <folder-picker v-model="picking" @choose="(path) => (folder = path)" />
    <template v-if="backups.schedule">
      <p v-if="backups.kept === null" class="error">✕ The folder cannot be read: is its disk mounted?</p>
      <p v-else-if="backups.kept.length === 0" class="soft">No backup lies in the folder yet.</p>
      <table v-else class="plain" aria-label="Backups that are kept">
        <caption class="soft">
          {{
            counted(backups.kept.length, 'backup')
          }}
          in the folder.
          <code>flagstone restore FOLDER</code>
          puts one in the place of the database.
        </caption>
        <thead>
          <tr>
            <th>Made</th>
            <th>Folder</th>
            <th class="number">Size</th>
            <th>Encrypted</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="each in backups.kept" :key="each.name">
            <td>{{ formatWhen(each.madeAt) }}</td>
            <td class="mono">{{ each.name }}</td>
            <td class="number mono">{{ formatBytes(each.bytes) }}</td>
            <td>{{ each.isEncrypted ? '■ yes' : '□ no' }}</td>
          </tr>
        </tbody>
      </table>
    </template>
  </template>
</template>

<style scoped>
.about {
  max-width: 720px;
}

.facts {
  display: grid;
  grid-template-columns: 100px minmax(0, 1fr);
  gap: 4px 12px;
  margin: 12px 0;
}

.facts dt {
  color: var(--ink-soft);
}

.facts dd {
  margin: 0;
}

.schedule {
  display: flex;
  flex-wrap: wrap;
  gap: 10px 14px;
  align-items: center;
  margin-bottom: 16px;
}

.schedule > * {
  margin: 0;
}

.schedule label {
  display: flex;
  gap: 8px;
  align-items: center;
}

.folder {
  flex: 1 1 340px;
}

.hour {
  width: 96px;
}

.error {
  color: var(--iron);
}

caption {
  padding-bottom: 4px;
  text-align: left;
}
</style>
