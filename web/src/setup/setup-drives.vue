<script setup lang="ts">
import type { Drive } from '@flagstone/contract/drives';
import type { ReadFolder } from '@flagstone/contract/intake';
import type { Recipe } from '@flagstone/contract/recipes';
import { ElButton, ElMessageBox, ElSwitch } from 'element-plus';
import { computed, onBeforeUnmount, ref } from 'vue';
import { call } from '../api/client.ts';
import PickOne from '../ui/pick-one.vue';
import { asked } from '../ui/asked.ts';
import { counted, formatBytes, formatWhen } from '../ui/format.ts';
import { showingErrors } from '../ui/use-errors.ts';
import { useCollections } from '../stores/collections.ts';
import { useRights } from '../stores/rights.ts';
import { useLive } from '../stores/live.ts';
import ReadOnly from '../ui/read-only.vue';
import DriveSpace from './drive-space.vue';

/** The drives with what can be done about them, and the folders that were read on them. */
const live = useLive();
const rights = useRights();
const collections = useCollections();
void collections.load();
const drives = ref<Drive[]>();
const folders = ref<ReadFolder[]>([]);
const roots = ref<string[]>([]);
const recipes = ref<Recipe[]>([]);
const showRetired = ref(false);
const shown = computed(() => (drives.value ?? []).filter((drive) => showRetired.value || !drive.retired));
const retired = computed(() => drives.value?.filter((drive) => drive.retired).length ?? 0);

async function load(): Promise<void> {
  await showingErrors(async () => {
    const [list, read, overview, kept] = await Promise.all([
      call('listDrives'),
      call('listReadFolders'),
      call('getOverview'),
      call('listRecipes'),
    ]);
    recipes.value = kept;
    drives.value = list;
    folders.value = read;
    roots.value = overview.roots;
  });
}
void load();
onBeforeUnmount(live.onAnything(() => void load()));
onBeforeUnmount(live.onJob((job) => job.kind === 'index' && job.state !== 'running' && void load()));

const KNOWN_BY: Record<Drive['knownBy'], { word: string; hint: string }> = {
  marker: { word: 'Its marker', hint: 'A small file in its root; it is known again wherever it is mounted' },
  fileSystem: {
    word: 'Its file system',
    hint: 'No marker can be written to it; it is known by UUID, size and path within the file system',
  },
  path: { word: 'Its path', hint: 'Flagstone may not write to its root, so mounted elsewhere it is a new drive' },
};
const STATES: Record<Drive['state'], string> = { here: '■ Here', away: '□ Away', readOnly: '▣ Read-only' };

async function change(drive: Drive, body: { name?: string; rootPath?: string; retired?: boolean }): Promise<void> {
  await showingErrors(async () => {
    drives.value = await call('updateDrive', { params: { id: drive.id }, body });
    folders.value = await call('listReadFolders');
  });
}

async function rename(drive: Drive): Promise<void> {
  const name = await asked(
    'What the drive is called in Flagstone; nothing on it changes.',
    'Rename the drive',
    drive.name,
    'Rename',
  );
  if (name !== undefined) await change(drive, { name });
}

async function move(drive: Drive): Promise<void> {
  const question = `Where is “${drive.name}” now? The folder has to hold its marker or its files, and lie in an allowed root. Nothing is read again.`;
  const rootPath = await asked(question, 'Change the path', drive.rootPath, 'Look there');
  if (rootPath !== undefined) await change(drive, { rootPath });
}

async function retire(drive: Drive): Promise<void> {
  const question = `“${drive.name}” is no longer looked for or offered. Its ${counted(drive.copies, 'file')} and their records stay known, and no file is touched. You can take it back.`;
  const options = { confirmButtonText: 'Retire the drive', cancelButtonText: 'Keep it' };
  const isSure = await ElMessageBox.confirm(question, 'Retire a drive', options).catch(() => undefined);
  if (isSure) await change(drive, { retired: true });
}

type FolderChange = Partial<Pick<ReadFolder, 'watched' | 'exclude' | 'rereadMinutes' | 'collectionId' | 'recipeId'>>;

async function update(folder: ReadFolder, body: FolderChange): Promise<void> {
  await showingErrors(async () => {
    const now = await call('updateReadFolder', { params: { id: folder.id }, body });
    folders.value = folders.value.map((each) => (each.id === now.id ? now : each));
  });
}

/** How often a folder is read again by itself, in minutes; 0 is never. */
const INTERVALS = [
  { value: 0, label: 'When asked' },
  { value: 15, label: 'Every 15 minutes' },
  { value: 60, label: 'Every hour' },
  { value: 360, label: 'Every 6 hours' },
  { value: 1440, label: 'Every day' },
];
/** Where a folder can be put; those in which somebody is no librarian are only named. */
const collectionChoices = computed(() =>
  collections.list
    .filter(({ id }) => rights.mayIn('librarian', id) || folders.value.some(({ collectionId }) => collectionId === id))
    .map(({ id, name }) => ({ value: id, label: name })),
);
const recipeChoices = computed(() => [
  { value: 0, label: 'None' },
  ...recipes.value.map(({ id, name }) => ({ value: id, label: name })),
]);

async function exclude(folder: ReadFolder): Promise<void> {
  const question =
    'Patterns of what is left out when this folder is read, separated by commas: *.mp3, old takes, drafts/**. What is known already stays known.';
  const answer = await ElMessageBox.prompt(question, 'Leave out', {
    inputValue: folder.exclude.join(', '),
    confirmButtonText: 'Leave these out',
    cancelButtonText: 'Leave as it is',
  }).catch(() => undefined);
  if (!answer) return;
  const patterns = answer.value.split(',').map((pattern) => pattern.trim());
  await update(folder, { exclude: patterns.filter((pattern) => pattern !== '') });
}

function readAgain(folder: ReadFolder): void {
  void showingErrors(() => call('readAgain', { params: { id: folder.id } }));
}
</script>

<template>
  <p class="soft">
    A drive becomes known when a folder on it is read in Intake. Allowed roots at this start:
    <span class="mono">{{ roots.join(', ') || 'none' }}</span>. Start with <span class="mono">--root DIR</span> to allow
    more.
  </p>
  <p v-if="drives?.length === 0">No drive is known yet. <router-link to="/intake">Read a folder</router-link> first.</p>
  <section v-for="drive in shown" :key="drive.id" class="panel drive">
    <header>
      <h2>{{ drive.name }}</h2>
      <span class="state">{{ drive.retired ? '– Retired' : STATES[drive.state] }}</span>
      <span class="mono path">{{ drive.rootPath }}</span>
      <span v-if="rights.isAdministrator" class="acts">
        <el-button size="small" @click="rename(drive)">Rename</el-button>
        <el-button size="small" @click="move(drive)">Change the path</el-button>
        <el-button v-if="drive.retired" size="small" @click="change(drive, { retired: false })">Take back</el-button>
        <el-button v-else size="small" @click="retire(drive)">Retire</el-button>
      </span>
    </header>
    <div class="facts">
      <dl>
        <dt>Files</dt>
        <dd>{{ drive.copies.toLocaleString('en') }}, {{ formatBytes(drive.sizeBytes) }}</dd>
        <dt>Known by</dt>
        <dd :title="KNOWN_BY[drive.knownBy].hint">{{ KNOWN_BY[drive.knownBy].word }}</dd>
        <dt>Last read</dt>
        <dd>{{ drive.lastIndexedAt ? formatWhen(drive.lastIndexedAt) : 'never' }}</dd>
      </dl>
      <drive-space
        v-if="drive.capacityBytes !== null && drive.freeBytes !== null"
        :capacity="drive.capacityBytes"
        :free="drive.freeBytes"
        :sounds="drive.sizeBytes"
      />
      <p v-else class="soft">Its space is not known while it is away.</p>
    </div>
    <table v-if="folders.some((folder) => folder.driveId === drive.id)" class="plain">
      <thead>
        <tr>
          <th>Folder that was read</th>
          <th class="number">Files</th>
          <th>Collection</th>
          <th title="Changes are read within seconds, where the file system tells of them">Watched</th>
          <th>Read again</th>
          <th title="Runs on what is new when the folder is read">Recipe</th>
          <th>Left out</th>
          <th></th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="folder in folders.filter((each) => each.driveId === drive.id)" :key="folder.id">
          <td class="mono">{{ folder.path || 'the whole drive' }}</td>
          <td class="number">{{ folder.files.toLocaleString('en') }}</td>
          <read-only :on="!rights.mayIn('librarian', folder.collectionId)">
            <td>
              <pick-one
                class="choice"
                :value="folder.collectionId"
                :choices="collectionChoices"
                :label="`Collection of ${folder.path || drive.name}`"
                @pick="(collectionId) => update(folder, { collectionId })"
              />
            </td>
            <td>
              <el-switch
                :model-value="folder.watched"
                size="small"
                :aria-label="`Watch ${folder.path || drive.name}`"
                @update:model-value="(watched) => update(folder, { watched: watched === true })"
              />
              {{ folder.watched ? 'Within seconds' : 'No' }}
            </td>
            <td>
              <pick-one
                class="choice"
                :value="folder.rereadMinutes ?? 0"
                :choices="INTERVALS"
                :label="`How often ${folder.path || drive.name} is read again`"
                @pick="(minutes) => update(folder, { rereadMinutes: minutes || null })"
              />
            </td>
            <td>
              <pick-one
                class="choice"
                :value="folder.recipeId ?? 0"
                :choices="recipeChoices"
                :label="`Recipe for what is new in ${folder.path || drive.name}`"
                @pick="(id) => update(folder, { recipeId: id || null })"
              />
            </td>
            <td>
              <span class="mono">{{ folder.exclude.join(', ') || 'nothing' }}</span>
              <el-button link @click="exclude(folder)">Change</el-button>
            </td>
            <td>
              <el-button size="small" :disabled="drive.state === 'away'" @click="readAgain(folder)">Read now</el-button>
            </td>
          </read-only>
        </tr>
      </tbody>
    </table>
  </section>
  <el-button v-if="retired > 0" link @click="showRetired = !showRetired">
    {{ showRetired ? 'Hide' : 'Show' }} {{ counted(retired, 'retired drive') }}
  </el-button>
</template>

<style scoped>
.drive {
  margin: 12px 0;
  padding: 10px 14px;
}

header {
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: 12px;
}

.path {
  flex: 1;
  overflow-wrap: anywhere;
}

.facts {
  display: grid;
  grid-template-columns: 320px minmax(0, 1fr);
  gap: 24px;
  align-items: center;
  margin: 6px 0;
}

dl {
  display: grid;
  grid-template-columns: 88px 1fr;
  gap: 2px 8px;
  margin: 0;
}

dd {
  margin: 0;
}

.choice {
  width: 124px;
}
</style>
