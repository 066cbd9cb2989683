<script setup lang="ts">
import type { Drive } from '@flagstone/contract/drives';
import { filterSchema } from '@flagstone/contract/selection';
import { useLocalStorage } from '@vueuse/core';
import { ElButton, ElDialog, ElInput } from 'element-plus';
import { computed, ref, shallowRef, watch } from 'vue';
import { call } from '../api/client.ts';
import { useCollections } from '../stores/collections.ts';
import { useRights } from '../stores/rights.ts';
import FolderPicker from '../ui/folder-picker.vue';
import { formatBytes } from '../ui/format.ts';
import PickOne from '../ui/pick-one.vue';
import { showingErrors } from '../ui/use-errors.ts';
import type { PlanMaker } from './use-plan.ts';

/** Everything of a collection also on another drive: where to, in which folders and under which names. */
const props = defineProps<{ collection: number | undefined }>();
const isOpen = defineModel<boolean>({ required: true });
const emit = defineEmits<{ plan: [maker: PlanMaker, what: string] }>();

const collections = useCollections();
const rights = useRights();
const drives = shallowRef<Drive[]>([]);
const collectionId = ref(0);
const toPath = ref('');
const picking = ref(false);
const laid = useLocalStorage<'kept' | 'category' | 'library' | 'own'>('flagstone.copies.folders', 'kept');
const template = useLocalStorage('flagstone.copies.template', '{library}/{category}/{subCategory}');
const names = useLocalStorage<'kept' | 'pattern'>('flagstone.copies.names', 'kept');

/** Those in whose folders somebody may put files. */
const choices = computed(() =>
  collections.list
    .filter(({ id, retired }) => !retired && rights.mayIn('librarian', id))
    .map(({ id, name }) => ({ value: id, label: name })),
);
watch(isOpen, (open) => {
  if (!open) return;
  collectionId.value =
    choices.value.find(({ value }) => value === props.collection)?.value ?? choices.value[0]?.value ?? 0;
  void showingErrors(async () => (drives.value = await call('listDrives')));
});
const here = computed(() =>
  drives.value
    .filter(({ state, retired }) => state === 'here' && !retired)
    .map(({ rootPath, name, freeBytes }) => ({
      value: rootPath,
      label: freeBytes === null ? name : `${name}, ${formatBytes(freeBytes)} free`,
    })),
);
const drive = computed(() => here.value.find(({ value }) => value === toPath.value)?.value);

const FOLDERS = [
  { value: 'kept' as const, label: 'In the folders in which they stand', template: '' },
  { value: 'category' as const, label: 'By category', template: '{category}/{subCategory}' },
  { value: 'library' as const, label: 'By library and category', template: '{library}/{category}/{subCategory}' },
  { value: 'own' as const, label: 'By a template of your own', template: undefined },
];
const NAMES = [
  { value: 'kept' as const, label: 'Called as they are' },
  { value: 'pattern' as const, label: 'Named after the collection’s pattern' },
];
const folders = computed(() => FOLDERS.find(({ value }) => value === laid.value)?.template ?? template.value.trim());

function plan(): void {
  const body = {
    selection: {
      kind: 'catalogue' as const,
      filter: filterSchema.parse({ collection: String(collectionId.value) }),
    },
    toPath: toPath.value.trim(),
    collectionId: collectionId.value,
    folders: folders.value,
    names: names.value,
  };
  isOpen.value = false;
  emit(
    'plan',
    { by: () => call('planCopies', { body }) },
    `${collections.nameOf(collectionId.value)} onto ${body.toPath}`,
  );
}
</script>

<template>
  <el-dialog v-model="isOpen" title="Copies on another drive" width="600">
    <form class="form" @submit.prevent="plan">
      <label>
        <span>Everything of</span>
        <pick-one
          :value="collectionId"
          :choices="choices"
          label="Of which collection"
          @pick="(picked) => (collectionId = picked)"
        />
      </label>
      <label>
        <span>also on</span>
        <pick-one
          :value="drive"
          :choices="here"
          label="On which drive"
          placeholder="A drive that is here"
          @pick="(picked) => (toPath = picked)"
        />
      </label>
      <div class="row">
        <span>in the folder</span>
        <el-input v-model="toPath" size="small" aria-label="Path of the folder" placeholder="/path/of/the/folder" />
        <el-button size="small" @click="picking = true">Choose…</el-button>
      </div>
      <label>
        <span>Folders</span>
        <pick-one :value="laid" :choices="FOLDERS" label="Folders" @pick="(picked) => (laid = picked)" />
      </label>
      <div v-if="laid === 'own'" class="row">
        <span>Template</span>
        <el-input v-model="template" size="small" aria-label="Template of the folders" />
      </div>
      <label>
        <span>Names</span>
        <pick-one :value="names" :choices="NAMES" label="Names" @pick="(picked) => (names = picked)" />
      </label>
      <p class="soft">
        You see what is missing there before anything is copied. Each file is read as a whole before, read back after,
        and never put over another one; nothing on the drive is removed.
      </p>
      <p class="foot">
        <el-button @click="isOpen = false">Cancel</el-button>
        <el-button
          type="primary"
          native-type="submit"
          :disabled="toPath.trim() === '' || collectionId === 0 || (laid === 'own' && folders === '')"
          >See what is missing</el-button
        >
      </p>
    </form>
    <folder-picker v-model="picking" @choose="(path) => (toPath = path)" />
  </el-dialog>
</template>

<style scoped>
label,
.row {
  display: flex;
  gap: 8px;
  align-items: center;
  margin-top: 8px;
}

label > span,
.row > span {
  flex: none;
  width: 100px;
  color: var(--ink-soft);
}

p.soft {
  margin: 12px 0 0;
}

.foot {
  display: flex;
  justify-content: flex-end;
  margin-top: 12px;
}
</style>
