<script setup lang="ts">
import type { SoundRow } from '@flagstone/contract/record';
import type { RecordEdit } from '@flagstone/core/record/edit';
import { FIELDS, isEmptyValue, type FieldName } from '@flagstone/core/record/fields';
import { useLocalStorage } from '@vueuse/core';
import { ElButton, ElCheckbox, ElCheckboxGroup, ElPopover } from 'element-plus';
import { computed, ref } from 'vue';
import { counted, formatValue } from '../ui/format.ts';
import { useCopiedRecord } from './copied-record-store.ts';

/** Copies fields of one sound onto others: which ones is remembered, and the name is left out until somebody wants it. */
defineProps<{ one: SoundRow | undefined; count: number }>();
const emit = defineEmits<{ edit: [edit: RecordEdit] }>();

const copied = useCopiedRecord();
const isOpen = ref(false);
/** Left out: what tells one sound from another. */
const OWN: readonly FieldName[] = [
  'fxName',
  'userData',
  'recordedOn',
  'rating',
  'tempo',
  'key',
  'slices',
  'syncPoints',
];
const chosen = useLocalStorage<FieldName[]>(
  'flagstone.copied-fields',
  FIELDS.map(({ name }) => name).filter((name) => !OWN.includes(name)),
);
/** The CatID brings its two names along. */
const offered = computed(() =>
  FIELDS.filter(
    ({ name }) => name !== 'category' && name !== 'subCategory' && !isEmptyValue(copied.source?.record[name]),
  ),
);
const taken = computed(() => offered.value.filter(({ name }) => chosen.value.includes(name)));

function put(): void {
  const record = copied.source?.record;
  if (!record) return;
  emit('edit', { set: Object.fromEntries(taken.value.map(({ name }) => [name, record[name]])) });
  isOpen.value = false;
}
</script>

<template>
  <div class="copy-fields">
    <el-button
      v-if="one"
      size="small"
      link
      title="Then select other sounds and put the fields onto them"
      @click="copied.take(one)"
      >Copy its fields</el-button
    >
    <el-popover
      v-if="copied.source && (count > 1 || copied.source.soundId !== one?.soundId)"
      v-model:visible="isOpen"
      trigger="click"
      width="300"
    >
      <template #reference
        ><el-button size="small"
          >Put fields of “{{ copied.source.record.fxName || copied.source.name }}” here…</el-button
        ></template
      >
      <el-checkbox-group v-model="chosen" class="fields" aria-label="Fields to put onto the selection">
        <el-checkbox
          v-for="field in offered"
          :key="field.name"
          :value="field.name"
          :title="formatValue(copied.source.record[field.name])"
        >
          {{ field.label }} <span class="soft">{{ formatValue(copied.source.record[field.name]) }}</span>
        </el-checkbox>
      </el-checkbox-group>
      <el-button type="primary" size="small" :disabled="taken.length === 0" @click="put"
        >Put {{ counted(taken.length, 'field') }} onto {{ counted(count, 'sound') }}</el-button
      >
    </el-popover>
  </div>
</template>

<style scoped>
.copy-fields {
  display: flex;
  gap: 8px;
  align-items: center;
  margin-top: 6px;
}

.fields {
  display: grid;
  max-height: 320px;
  margin-bottom: 8px;
  overflow: auto;
}

.fields :deep(.el-checkbox__label) {
  overflow: hidden;
  max-width: 250px;
  text-overflow: ellipsis;
}
</style>
