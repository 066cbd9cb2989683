<script setup lang="ts">
import type { Collection, CollectionChange } from '@flagstone/contract/collections';
import { ElButton, ElInput } from 'element-plus';
import { ref, watch } from 'vue';
import FolderPicker from '../ui/folder-picker.vue';

/** Where what is handed over to a collection lands, and the shelf on which its files are laid out, with how folders are laid there. */
const props = defineProps<{ collection: Collection; disabled: boolean }>();
const emit = defineEmits<{ set: [change: CollectionChange] }>();
const landing = ref('');
const shelf = ref('');
const template = ref('');
const picking = ref<'landing' | 'shelf'>();

watch(
  () => props.collection,
  ({ landingPath, shelfPath, shelfTemplate }) => {
    landing.value = landingPath ?? '';
    shelf.value = shelfPath ?? '';
    template.value = shelfTemplate;
  },
  { immediate: true },
);

const isChanged = (): boolean =>
  landing.value.trim() !== (props.collection.landingPath ?? '') ||
  shelf.value.trim() !== (props.collection.shelfPath ?? '') ||
  template.value.trim() !== props.collection.shelfTemplate;

/** What is empty is nowhere. Only what differs is sent: a drive that is away keeps its place. */
function save(): void {
  const change: CollectionChange = {};
  if (landing.value.trim() !== (props.collection.landingPath ?? '')) change.landingPath = landing.value.trim() || null;
  if (shelf.value.trim() !== (props.collection.shelfPath ?? '')) change.shelfPath = shelf.value.trim() || null;
  if (template.value.trim() !== props.collection.shelfTemplate) change.shelfTemplate = template.value.trim();
  emit('set', change);
}

function choose(path: string): void {
  if (picking.value === 'landing') landing.value = path;
  else shelf.value = path;
}
</script>

<template>
  <form class="places" @submit.prevent="save">
    <label :for="`landing-${collection.id}`">Landing folder</label>
    <el-input
      :id="`landing-${collection.id}`"
      v-model="landing"
      :disabled="disabled"
      placeholder="Nowhere yet: where files land that are handed over"
    />
    <el-button :disabled="disabled" aria-label="Browse for the landing folder" @click="picking = 'landing'"
      >Browse…</el-button
    >
    <label :for="`shelf-${collection.id}`">Shelf</label>
    <el-input
      :id="`shelf-${collection.id}`"
      v-model="shelf"
      :disabled="disabled"
      placeholder="Nowhere yet: where files stand once they are described and named"
    />
    <el-button :disabled="disabled" aria-label="Browse for the shelf" @click="picking = 'shelf'">Browse…</el-button>
    <label :for="`template-${collection.id}`">Folders there</label>
    <el-input :id="`template-${collection.id}`" v-model="template" class="mono" :disabled="disabled" />
    <el-button type="primary" plain native-type="submit" :disabled="disabled || !isChanged()">Save</el-button>
    <folder-picker
      :model-value="picking !== undefined"
      @update:model-value="(on) => !on && (picking = undefined)"
      @choose="choose"
    />
  </form>
</template>

<style scoped>
.places {
  display: grid;
  grid-template-columns: 96px minmax(0, 520px) auto;
  gap: 6px 8px;
  align-items: center;
  justify-content: start;
}
</style>
