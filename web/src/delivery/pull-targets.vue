<script setup lang="ts">
import { ref } from 'vue';
import { droppedCopies } from '../ui/dragged-sounds.ts';
import { usePullLists } from './pull-lists-store.ts';

/** The pull lists onto which sounds can be dropped; shown while rows are dragged. */
const emit = defineEmits<{ done: [] }>();
const pulls = usePullLists();
const over = ref<number>();

async function drop(event: DragEvent, id: number | undefined): Promise<void> {
  const copyIds = droppedCopies(event);
  emit('done');
  if (copyIds.length > 0) await pulls.addAll({ kind: 'copies', copyIds }, id);
}
</script>

<template>
  <div class="targets" role="status" @dragover.prevent @drop.prevent="emit('done')">
    <span>Drop into</span>
    <span
      v-for="list in pulls.list"
      :key="list.id"
      class="target"
      :class="{ over: over === list.id }"
      @dragover.prevent="over = list.id"
      @dragleave="over = undefined"
      @drop.stop.prevent="drop($event, list.id)"
      >{{ list.name }} <span class="mono soft">{{ list.entries }}</span></span
    >
    <span
      v-if="pulls.isLoaded && pulls.list.length === 0"
      class="target"
      @dragover.prevent
      @drop.stop.prevent="drop($event, undefined)"
      >a first pull list</span
    >
  </div>
</template>

<style scoped>
/* Over the list: what is dragged must not move under the pointer. */
.targets {
  position: absolute;
  z-index: 10;
  right: 12px;
  bottom: 36px;
  left: 12px;
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
  align-items: center;
  padding: 8px 12px;
  border: 1px solid var(--lichen);
  box-shadow: 0 4px 12px rgb(36 48 58 / 14%);
  background: var(--selected);
}

.target {
  padding: 6px 12px;
  border: 2px dashed var(--lichen);
  background: var(--surface);
}

.target.over {
  border-style: solid;
  font-weight: 600;
}
</style>
