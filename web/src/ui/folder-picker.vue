<script setup lang="ts">
import { ElButton, ElDialog } from 'element-plus';
import { ref, watch } from 'vue';
import { call } from '../api/client.ts';
import { showingErrors } from './use-errors.ts';

/** Walks the folders below the allowed roots. */
const shown = defineModel<boolean>({ required: true });
const emit = defineEmits<{ choose: [path: string] }>();
const listing = ref<{ path: string; parent: string | null; folders: { name: string; path: string }[] }>();

async function open(path: string): Promise<void> {
  const next = await showingErrors(() => call('listFolders', { query: { path } }));
  if (next) listing.value = next;
}

watch(shown, (on) => on && void open(''));

function choose(): void {
  if (listing.value) emit('choose', listing.value.path);
  shown.value = false;
}
</script>

<template>
  <el-dialog v-model="shown" title="Choose a folder" width="560">
    <p class="mono path">{{ listing?.path || 'Allowed roots' }}</p>
    <ul class="folders">
      <li v-if="listing && listing.parent !== null">
        <button type="button" @click="open(listing.parent ?? '')">↑ Up</button>
      </li>
      <li v-for="folder in listing?.folders" :key="folder.path">
        <button type="button" @click="open(folder.path)">{{ folder.name }}</button>
      </li>
    </ul>
    <p v-if="listing?.folders.length === 0" class="soft">
      {{ listing.path === '' ? 'No root is allowed. Start Flagstone with --root DIR.' : 'No folders in here.' }}
    </p>
    <template #footer>
      <el-button @click="shown = false">Cancel</el-button>
      <el-button type="primary" :disabled="!listing?.path" @click="choose">Choose this folder</el-button>
    </template>
  </el-dialog>
</template>

<style scoped>
.path {
  margin-bottom: 8px;
}

.folders {
  max-height: 320px;
  margin: 0;
  padding: 0;
  overflow: auto;
  border: 1px solid var(--hairline);
  list-style: none;
}

.folders button {
  width: 100%;
  padding: 5px 10px;
  border: 0;
  border-bottom: 1px solid var(--hairline);
  background: none;
  color: var(--ink);
  font: inherit;
  text-align: left;
  cursor: pointer;
}

.folders button:hover {
  background: var(--ground);
}
</style>
