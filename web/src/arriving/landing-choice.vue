<script setup lang="ts">
import type { Collection } from '@flagstone/contract/collections';
import { ElButton, ElInput } from 'element-plus';
import { ref, watch } from 'vue';
import { call } from '../api/client.ts';
import FolderPicker from '../ui/folder-picker.vue';
import { showingErrors, tell } from '../ui/use-errors.ts';
import { useCollections } from '../stores/collections.ts';

/** Where what is handed over to a collection lands: said, or chosen where nobody did yet. */
const props = defineProps<{ collection: Collection }>();
const collections = useCollections();
const path = ref('');
const isChanging = ref(false);
const isBusy = ref(false);
const picking = ref(false);

watch(
  () => props.collection.id,
  () => {
    path.value = '';
    isChanging.value = false;
  },
);

async function keep(): Promise<void> {
  isBusy.value = true;
  const params = { id: props.collection.id };
  const now = await showingErrors(() => call('updateCollection', { params, body: { landingPath: path.value.trim() } }));
  isBusy.value = false;
  if (!now) return;
  collections.set(now);
  isChanging.value = false;
  tell(
    'Landing folder kept',
    `What is handed over to “${props.collection.name}” lands there, each batch in a folder of its own.`,
  );
}
</script>

<template>
  <p v-if="collection.landingPath !== null && !isChanging" class="lands">
    Lands in <span class="mono">{{ collection.landingPath }}</span>, in a folder of its own.
    <el-button link type="primary" @click="isChanging = true">Change</el-button>
  </p>
  <div v-else class="choose">
    <p :class="{ missing: collection.landingPath === null }">
      {{
        collection.landingPath === null
          ? `▲ Nobody chose yet where files land that are handed over to “${collection.name}”.`
          : `Where files land that are handed over to “${collection.name}”:`
      }}
    </p>
    <div class="row">
      <el-input v-model="path" aria-label="Landing folder" placeholder="/path/of/a/folder on the server" />
      <el-button @click="picking = true">Browse…</el-button>
      <el-button type="primary" plain :loading="isBusy" :disabled="path.trim() === ''" @click="keep">Keep it</el-button>
    </div>
    <folder-picker v-model="picking" @choose="(chosen) => (path = chosen)" />
  </div>
</template>

<style scoped>
p {
  margin: 4px 0;
}

.missing {
  color: var(--ochre-ink);
}

.row {
  display: flex;
  gap: 8px;
}

.row .el-button + .el-button {
  margin-left: 0;
}
</style>
