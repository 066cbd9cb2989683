<script setup lang="ts">
import type { CopyOut, CopyOutSize } from '@flagstone/contract/copy-out';
import type { ListFilter, Selection } from '@flagstone/contract/selection';
import { useLocalStorage } from '@vueuse/core';
import { ElButton, ElCheckbox, ElDialog, ElInput, ElRadio, ElRadioGroup } from 'element-plus';
import { computed, ref, watch } from 'vue';
import { call } from '../api/client.ts';
import { counted, formatBytes } from '../ui/format.ts';
import { showingErrors } from '../ui/use-errors.ts';
import { useAsking } from '../ui/use-asking.ts';
import FolderPicker from '../ui/folder-picker.vue';
import LicencesTold from './licences-told.vue';

/** Files copied out of the collection: into a folder that the server sees, or as a ZIP file through the browser. */
const props = defineProps<{
  /** What is selected, and all that the list finds; or a pull list. */
  of: { selection: Selection | undefined; filter: ListFilter; count: number; total: number } | { listId: number };
}>();
const isOpen = defineModel<boolean>({ required: true });

const whole = ref(false);
const cut = ref(false);
const tree = useLocalStorage('flagstone.copyOutTree', false);
const withRecord = useLocalStorage('flagstone.copyOutWithRecord', false);
const how = useLocalStorage<'zip' | 'folder'>('flagstone.copyOutHow', 'zip');
const folder = useLocalStorage('flagstone.copyOutFolder', '');
const picking = ref(false);
const size = ref<CopyOutSize>();
const isBusy = ref(false);

const request = computed<CopyOut | undefined>(() => {
  const { of } = props;
  const laid = { tree: tree.value, withRecord: withRecord.value };
  if ('listId' in of) return { what: { kind: 'list', listId: of.listId }, ...laid };
  const selection: Selection | undefined = whole.value ? { kind: 'catalogue', filter: of.filter } : of.selection;
  return selection && { what: { kind: 'sounds', selection, cut: cut.value ? 'slices' : 'whole' }, ...laid };
});

watch(isOpen, (open) => {
  if (open && 'count' in props.of) whole.value = props.of.count === 0;
});

const ask = useAsking();
watch(
  () => isOpen.value && JSON.stringify(request.value),
  async () => {
    if (!isOpen.value) return;
    size.value = undefined;
    const signal = ask();
    const { value: body } = request;
    if (!body) return;
    const answer = await showingErrors(() => call('prepareCopyOut', { body, signal }));
    if (answer && !signal.aborted) size.value = answer;
  },
);

async function start(): Promise<void> {
  const { value: body } = request;
  if (!body) return;
  isBusy.value = true;
  const started = await showingErrors(async () => {
    if (how.value === 'folder') return call('copyOutToFolder', { body: { ...body, folder: folder.value.trim() } });
    const { ticket } = await call('prepareCopyOut', { body });
    // The browser fetches it by itself, and writes it to disk as it comes.
    const link = document.createElement('a');
    link.href = `/api/copy-out/${ticket}`;
    link.download = '';
    link.click();
    return ticket;
  });
  isBusy.value = false;
  if (started !== undefined) isOpen.value = false;
}
</script>

<template>
  <el-dialog v-model="isOpen" title="Copy out" width="560">
    <form @submit.prevent="start">
      <template v-if="'count' in of">
        <el-radio-group v-model="whole" aria-label="What">
          <el-radio :value="false" :disabled="of.count === 0">{{ counted(of.count, 'sound') }} selected</el-radio>
          <el-radio :value="true">All {{ counted(of.total, 'sound') }} that the list finds</el-radio>
        </el-radio-group>
        <el-checkbox v-model="cut">Each slice as a file of its own, where a sound has slices</el-checkbox>
      </template>
      <p v-else class="soft">Everything on the list: marked parts as parts, what was tried out as it sounds.</p>
      <h3>Where to</h3>
      <el-radio-group v-model="how" aria-label="Where to">
        <el-radio value="zip">A ZIP file, saved by the browser</el-radio>
        <el-radio value="folder">A folder that Flagstone sees</el-radio>
      </el-radio-group>
      <div v-if="how === 'folder'" class="folder">
        <el-input v-model="folder" aria-label="Folder" placeholder="/path/of/the/folder" />
        <el-button @click="picking = true">Choose…</el-button>
      </div>
      <el-checkbox v-model="tree">In the folders that the files stand in</el-checkbox>
      <el-checkbox v-model="withRecord">Each record in its copy; the files themselves stay as they are</el-checkbox>
      <p v-if="size && size.behind > 0 && !withRecord" class="behind">
        ▲ {{ counted(size.behind, 'file') }} of these {{ size.behind === 1 ? 'is' : 'are' }} Behind, and would go out
        without what was described since.
      </p>
      <licences-told v-if="size" class="licences" :licences="size.licences" :most="5" />
      <p class="soft" aria-live="polite">
        <template v-if="size">
          {{ counted(size.files, 'file') }}, {{ formatBytes(size.bytes) }} of whole files.
          <template v-if="size.gone > 0">
            {{ counted(size.gone, 'file') }} missing from the drives: left out, and named in a list.</template
          >
          Copies are read back and compared; a file that stands there is never replaced.
        </template>
        <template v-else>Counting…</template>
      </p>
      <p class="foot">
        <el-button @click="isOpen = false">Cancel</el-button>
        <el-button
          type="primary"
          native-type="submit"
          :loading="isBusy"
          :disabled="!request || size?.files === 0 || (how === 'folder' && folder.trim() === '')"
          >Copy out</el-button
        >
      </p>
    </form>
    <folder-picker v-model="picking" @choose="(path) => (folder = path)" />
  </el-dialog>
</template>

<style scoped>
h3 {
  margin: 12px 0 4px;
  font-size: 13px;
}

.folder {
  display: flex;
  gap: 8px;
}

.licences {
  margin: 8px 0;
}

.behind {
  color: var(--ochre-ink);
}

.foot {
  display: flex;
  justify-content: flex-end;
  margin-top: 12px;
}
</style>
