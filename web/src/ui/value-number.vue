<script setup lang="ts">
import { ElInputNumber } from 'element-plus';

/** A small field of one number; it says what was set, the least for nothing, and keeps nothing itself. */
const props = defineProps<{
  value: number;
  label: string;
  min: number;
  max: number;
  step: number;
  precision?: number;
}>();
const emit = defineEmits<{ set: [value: number] }>();
</script>

<template>
  <el-input-number
    :model-value="value"
    :min="min"
    :max="max"
    :step="step"
    :precision="precision ?? 0"
    controls-position="right"
    :aria-label="label"
    @update:model-value="(now) => emit('set', now ?? props.min)"
  />
</template>
