<script setup lang="ts" generic="Value extends string | number">
import { ElOption, ElSelect } from 'element-plus';

/** A small select of one among some; it says what was picked and keeps nothing itself. */
defineProps<{
  /** What is picked now; undefined for nothing. */
  value?: Value | undefined;
  choices: readonly { value: Value; label: string }[];
  /** What is picked, for those who do not see it. */
  label: string;
  placeholder?: string;
}>();
const emit = defineEmits<{ pick: [value: Value] }>();
</script>

<template>
  <el-select
    :model-value="value"
    size="small"
    :persistent="false"
    :filterable="choices.length > 12"
    :placeholder="placeholder"
    :aria-label="label"
    @update:model-value="(picked: Value) => emit('pick', picked)"
  >
    <el-option v-for="each in choices" :key="each.value" :value="each.value" :label="each.label" />
  </el-select>
</template>
