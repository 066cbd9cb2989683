<script setup lang="ts">
import { useEventListener } from '@vueuse/core';
import { ref } from 'vue';
import { showError } from '../ui/use-errors.ts';
import { useRights } from '../stores/rights.ts';
import { useArriving } from './arriving-store.ts';
import { droppedFiles } from './gathered-files.ts';

/** Takes files that are dropped anywhere on the window; none is ever opened by the browser in the place of the application. */
const rights = useRights();
const arriving = useArriving();
const isOver = ref(false);
/** A drag that nobody tells the end of: it went out of the window, or was given up. */
let over: ReturnType<typeof setTimeout> | undefined;
const FORGOTTEN_MS = 1000;

const bringsFiles = ({ dataTransfer }: DragEvent): boolean => dataTransfer?.types.includes('Files') ?? false;

useEventListener(window, 'dragover', (event) => {
  if (!bringsFiles(event)) return;
  // A place that has a use of its own for it has taken it.
  const isTaken = event.defaultPrevented;
  event.preventDefault();
  isOver.value = !isTaken && rights.may('librarian');
  if (event.dataTransfer && !isTaken) event.dataTransfer.dropEffect = isOver.value ? 'copy' : 'none';
  clearTimeout(over);
  over = setTimeout(() => (isOver.value = false), FORGOTTEN_MS);
});
useEventListener(window, 'drop', (event) => {
  isOver.value = false;
  if (!bringsFiles(event)) return;
  const isTaken = event.defaultPrevented;
  event.preventDefault();
  if (isTaken || !event.dataTransfer || !rights.may('librarian')) return;
  droppedFiles(event.dataTransfer).then((files) => (arriving.offer = { files }), showError);
});
</script>

<template>
  <div v-if="isOver" class="veil" role="status"><p>Drop files, folders or ZIP packs to bring them in</p></div>
</template>

<style scoped>
.veil {
  position: fixed;
  inset: 0;
  z-index: 3000;
  display: grid;
  place-items: center;
  border: 3px dashed var(--lichen);
  background: color-mix(in srgb, var(--lichen-wash) 82%, transparent);
  pointer-events: none;
}

p {
  padding: 12px 20px;
  border: 1px solid var(--lichen);
  background: var(--surface);
  font-size: 16px;
  font-weight: 600;
}
</style>
