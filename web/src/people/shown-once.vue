<script setup lang="ts">
import { ElButton } from 'element-plus';
import { showingErrors, tell } from '../ui/use-errors.ts';

/** A secret that the server has told and will never tell again. */
const props = defineProps<{ label: string; text: string }>();

async function copy(): Promise<void> {
  await showingErrors(async () => {
    await navigator.clipboard.writeText(props.text);
    tell('Copied');
  });
}
</script>

<template>
  <p class="once" role="status">
    <strong>● {{ label }}, shown this once:</strong>
    <code class="mono">{{ text }}</code>
    <el-button @click="copy">Copy</el-button>
  </p>
</template>

<style scoped>
.once {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  align-items: center;
  margin: 8px 0;
  padding: 8px 12px;
  border: 1px solid var(--lichen);
  border-radius: 4px;
  background: var(--ground);
}

code {
  overflow-wrap: anywhere;
  user-select: all;
}
</style>
