<script setup lang="ts">
import type { Drive } from '@flagstone/contract/drives';
import type { Batch } from '@flagstone/contract/intake';
import { ElButton, ElInput, ElOption, ElProgress, ElSelect, ElTag } from 'element-plus';
import { computed, onBeforeUnmount, onMounted, ref, watch } from 'vue';
import { useRouter } from 'vue-router';
import { call } from '../api/client.ts';
import { counted, formatBytes, formatWhen } from '../ui/format.ts';
import { showingErrors } from '../ui/use-errors.ts';
import { useCollections } from '../stores/collections.ts';
import { useRights } from '../stores/rights.ts';
import { useLive } from '../stores/live.ts';
import ArrivalLines from '../arriving/arrival-lines.vue';
import { useArriving } from '../arriving/arriving-store.ts';
import { chosenFiles } from '../arriving/gathered-files.ts';
import { leftOutCount } from '../intake/left-out-count.ts';
import FolderPicker from '../ui/folder-picker.vue';

const router = useRouter();
const live = useLive();
const rights = useRights();
const collections = useCollections();
void collections.load();
/** Those that take folders of whoever asks. */
const choices = computed(() => collections.open.filter(({ id }) => rights.mayIn('librarian', id)));
/** Of a folder that is read for the first time; none leaves it with the folder above it. */
const collectionId = ref<number>();
const batches = ref<Batch[]>();
const drives = ref<Drive[]>([]);
const path = ref('');
const name = ref('');
const starting = ref(false);
const picking = ref(false);
const counting = ref(false);
const countSaid = ref('');
watch(path, () => (countSaid.value = ''));

/** Says what reading the folder would find; nothing is recorded. */
async function countOnly(): Promise<void> {
  counting.value = true;
  await showingErrors(async () => {
    const found = await call('countIntake', { body: { path: path.value } });
    const faults = found.faults === 0 ? '' : ` ✕ ${counted(found.faults, 'entry', 'entries')} cannot be taken up.`;
    const others = found.otherAudio === 0 ? '' : ` ◇ ${counted(found.otherAudio, 'sound')} of other formats stay out.`;
    countSaid.value = `${counted(found.files, 'audio file')}, ${formatBytes(found.sizeBytes)}: ${found.newOrChanged.toLocaleString('en')} new or changed, ${found.same.toLocaleString('en')} known and the same.${faults}${others} Nothing was read yet.`;
  });
  counting.value = false;
}

const arriving = useArriving();
const filesField = ref<HTMLInputElement>();
const folderField = ref<HTMLInputElement>();
function choose({ target }: Event): void {
  if (!(target instanceof HTMLInputElement) || !target.files) return;
  const files = chosenFiles(target.files);
  // The same files can be chosen once more.
  target.value = '';
  if (files.length > 0) arriving.offer = { files };
}

async function load(): Promise<void> {
  await showingErrors(async () => {
    [batches.value, drives.value] = await Promise.all([call('listBatches'), call('listDrives')]);
    drives.value = drives.value.filter((drive) => !drive.retired);
  });
}

async function begin(): Promise<void> {
  starting.value = true;
  await showingErrors(async () => {
    const { batch } = await call('startIntake', {
      body: {
        path: path.value,
        ...(name.value.trim() === '' ? {} : { batchName: name.value.trim() }),
        ...(collectionId.value === undefined ? {} : { collectionId: collectionId.value }),
      },
    });
    await router.push(`/intake/${batch.id}`);
  });
  starting.value = false;
}

function share(count: number, batch: Batch): number {
  return batch.counts.all === 0 ? 0 : Math.round((100 * count) / batch.counts.all);
}

onMounted(load);
onBeforeUnmount(live.onAnything(() => void load()));
onBeforeUnmount(live.onJob((job) => job.state !== 'running' && void load()));
</script>

<template>
  <div class="intake">
    <section v-if="rights.may('librarian')" class="panel add">
      <h1>Bring sounds in</h1>
      <div class="ways">
        <div class="way">
          <h2>Read where they lie</h2>
          <p class="soft">
            Name a folder of a drive. Its files stay where they are; Flagstone reads their headers and lists what they
            say.
          </p>
          <form class="form" @submit.prevent="begin">
            <el-input
              v-model="path"
              class="path mono"
              placeholder="/path/of/a/folder on the server"
              aria-label="Path of the folder"
            >
              <template #append><el-button @click="picking = true">Browse</el-button></template>
            </el-input>
            <div class="row">
              <el-input
                v-model="name"
                class="name"
                placeholder="Name of the batch (else the folder’s)"
                aria-label="Name of the batch"
              />
              <el-select
                v-if="choices.length > 1"
                v-model="collectionId"
                :persistent="false"
                class="collection"
                clearable
                placeholder="Collection"
                aria-label="Collection of a folder that is new"
                :empty-values="[undefined, null]"
                :value-on-clear="() => undefined"
              >
                <el-option v-for="each in choices" :key="each.id" :value="each.id" :label="each.name" />
              </el-select>
            </div>
            <div class="row">
              <el-button :loading="counting" :disabled="path.trim() === ''" @click="countOnly">Count only</el-button>
              <el-button
                :disabled="path.trim() === ''"
                title="Into the collection’s own landing folder; the originals stay"
                @click="arriving.offer = { folder: path.trim() }"
                >Copy it in…</el-button
              >
              <el-button type="primary" native-type="submit" :loading="starting" :disabled="path.trim() === ''"
                >Read the folder</el-button
              >
            </div>
          </form>
        </div>
        <div class="way hand-over">
          <h2>Hand them over</h2>
          <p class="soft">
            Drop files, folders or ZIP packs anywhere in this window, or choose them here. What is held already is told
            before anything is sent; the rest lands in the collection’s own folder.
          </p>
          <div class="row">
            <el-button @click="filesField?.click()">Choose files or packs…</el-button>
            <el-button @click="folderField?.click()">Choose a folder…</el-button>
          </div>
          <input ref="filesField" type="file" multiple hidden aria-label="Files to bring in" @change="choose" />
          <input
            ref="folderField"
            type="file"
            webkitdirectory
            multiple
            hidden
            aria-label="Folder to bring in"
            @change="choose"
          />
        </div>
      </div>
      <p v-if="countSaid" role="status" class="counted">{{ countSaid }}</p>
      <div class="drives">
        <button
          v-for="drive in drives"
          :key="drive.id"
          type="button"
          class="drive"
          :disabled="drive.state === 'away'"
          @click="path = drive.rootPath"
        >
          <strong>{{ drive.name }}</strong>
          <span class="soft">{{
            drive.state === 'away'
              ? '□ Away'
              : drive.copies > 0
                ? `■ ${counted(drive.copies, 'file')} known`
                : '○ Nothing read yet'
          }}</span>
        </button>
      </div>
    </section>

    <arrival-lines v-if="rights.may('librarian')" />

    <section class="panel list">
      <h2>Batches</h2>
      <p v-if="batches?.length === 0" class="soft none">
        No batch yet. Choose a drive above and read it: the batch that it makes stays here until you file it.
      </p>
      <div v-else class="plain-scroll">
        <table class="plain">
          <thead>
            <tr>
              <th>Batch</th>
              <th class="number">Files</th>
              <th>With a category</th>
              <th>Ready to name</th>
              <th>Remarks</th>
              <th>State</th>
              <th>Begun</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="batch in batches" :key="batch.id" class="batch">
              <td>
                <router-link :to="`/intake/${batch.id}`"
                  ><strong>{{ batch.name }}</strong></router-link
                >
                <div class="soft">
                  {{ batch.driveName }} / {{ batch.folder || 'whole drive' }}
                  <template v-if="batch.partOf">· part of {{ batch.partOf.name }}</template>
                </div>
                <div v-if="batch.givenTo" class="given">◉ Given to {{ batch.givenTo.name }}</div>
              </td>
              <td class="number">{{ batch.counts.all }}</td>
              <td>
                <el-progress
                  :percentage="share(batch.counts.categorised, batch)"
                  :aria-label="`${batch.counts.categorised} with a category`"
                />
              </td>
              <td>
                <el-progress
                  :percentage="share(batch.counts.named, batch)"
                  :aria-label="`${batch.counts.named} ready to name`"
                />
              </td>
              <td>
                <div v-if="batch.counts.unreadable > 0">✕ {{ batch.counts.unreadable }} unreadable</div>
                <div v-if="leftOutCount(batch) > 0">◇ {{ leftOutCount(batch) }} left out</div>
                <div v-if="batch.counts.behind > 0">◣ {{ batch.counts.behind }} behind</div>
              </td>
              <td>
                <el-tag :type="batch.filedAt ? 'success' : 'warning'" effect="plain">{{
                  batch.filedAt ? '✓ Filed' : '○ Open'
                }}</el-tag>
              </td>
              <td>
                {{ formatWhen(batch.createdAt) }}
                <div class="soft">{{ batch.createdBy }}</div>
              </td>
            </tr>
          </tbody>
        </table>
      </div>
    </section>
    <folder-picker v-model="picking" @choose="(chosen) => (path = chosen)" />
  </div>
</template>

<style scoped>
.intake {
  display: grid;
  grid-template-rows: auto;
  grid-auto-rows: auto;
  align-content: start;
  gap: 12px;
  height: 100%;
  overflow: auto;
  padding: 12px;
}

.add {
  padding: 16px;
}

.ways {
  display: grid;
  grid-template-columns: minmax(0, 3fr) minmax(0, 2fr);
  gap: 24px;
  margin: 8px 0 12px;
}

.way .soft {
  margin-bottom: 8px;
}

.form {
  display: flex;
  flex-direction: column;
  gap: 8px;
}

.row {
  display: flex;
  gap: 8px;
}

.row .el-button + .el-button {
  margin-left: 0;
}

.name {
  flex: 1;
}

.collection {
  width: 150px;
}

.counted {
  margin: 0 0 12px;
}

.hand-over {
  padding: 0 16px 12px;
  border: 1px dashed var(--ink-soft);
}

.hand-over h2 {
  margin-top: 12px;
}

.drives {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
}

.drive {
  display: flex;
  flex-direction: column;
  padding: 6px 12px;
  border: 1px solid var(--hairline);
  background: var(--ground);
  color: var(--ink);
  font: inherit;
  text-align: left;
  cursor: pointer;
}

.drive:hover:not(:disabled) {
  border-color: var(--lichen);
}

.list {
  display: flex;
  flex-direction: column;
  min-height: 0;
  padding: 12px 16px;
}

.list h2 {
  margin-bottom: 8px;
}

.none {
  padding: 16px 0;
}

.given {
  color: var(--lichen);
}

.batch td {
  min-width: 90px;
}
</style>
