<script setup lang="ts">
import { ElSlider } from 'element-plus';

/** A slider of one number; it says what was set and keeps nothing itself. */
withDefaults(defineProps<{ value: number; label: string; min?: number; max?: number; step?: number }>(), {
  min: 0,
  max: 100,
  step: 1,
});
const emit = defineEmits<{ set: [value: number] }>();
</script>

<template>
  <el-slider
    :model-value="value"
    :min="min"
    :max="max"
    :step="step"
    :show-tooltip="false"
    :aria-label="label"
    @update:model-value="(now) => emit('set', Number(now))"
  />
</template>
