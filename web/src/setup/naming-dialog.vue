<script setup lang="ts">
import type { Collection } from '@flagstone/contract/collections';
import { ElDialog } from 'element-plus';
import { computed, watch } from 'vue';
import { call } from '../api/client.ts';
import { showingErrors, tell } from '../ui/use-errors.ts';
import { useCollections } from '../stores/collections.ts';
import NamingPatternForm from './naming-pattern-form.vue';

/** How the names of a collection are made, changed from where they are planned. */
const props = defineProps<{ collectionId: number }>();
const isOpen = defineModel<boolean>({ required: true });
const emit = defineEmits<{ changed: [] }>();

const collections = useCollections();
watch(isOpen, (open) => open && void collections.load());
const collection = computed(() => collections.list.find(({ id }) => id === props.collectionId));

async function save(pattern: Collection['pattern']): Promise<void> {
  const params = { id: props.collectionId };
  const now = await showingErrors(() => call('updateCollection', { params, body: { pattern } }));
  if (!now) return;
  collections.set(now);
  isOpen.value = false;
  tell('Naming pattern kept', 'It is that of the whole collection; the names are planned anew.');
  emit('changed');
}
</script>

<template>
  <el-dialog v-model="isOpen" :title="`How names of “${collection?.name ?? ''}” are made`" width="760">
    <naming-pattern-form v-if="isOpen && collection" :pattern="collection.pattern" @save="save" />
  </el-dialog>
</template>
