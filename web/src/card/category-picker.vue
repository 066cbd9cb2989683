<script setup lang="ts">
import type { CategoryList } from '@flagstone/core/ucs/category-list';
import { ElOption, ElSelect } from 'element-plus';
import { computed, ref } from 'vue';
import { useCategories } from '../stores/categories.ts';

/** Chooses a CatID by any part of its CatID, names or words. Empty clears. */
const props = defineProps<{
  modelValue: string;
  placeholder?: string;
  label?: string;
  /** Another list than the one in force. */
  from?: CategoryList;
}>();
const emit = defineEmits<{ 'update:modelValue': [catId: string] }>();

const categories = useCategories();
const select = ref<InstanceType<typeof ElSelect>>();
const typed = ref('');
const list = computed(() => props.from ?? categories.list);
const found = computed(() => list.value.search(typed.value, 40));
const current = computed(() => list.value.find(props.modelValue));

defineExpose({ focus: () => select.value?.focus() });
</script>

<template>
  <el-select
    ref="select"
    :persistent="false"
    :model-value="modelValue"
    filterable
    clearable
    default-first-option
    :filter-method="(text: string) => (typed = text)"
    :placeholder="placeholder ?? 'Type a CatID, category or word'"
    :aria-label="label ?? 'CatID'"
    :empty-values="['', null, undefined]"
    :value-on-clear="''"
    fit-input-width
    popper-class="category-options"
    @update:model-value="(catId: string) => emit('update:modelValue', catId)"
    @keydown.esc.capture="select?.blur()"
    @visible-change="typed = ''"
  >
    <el-option v-if="current && typed === ''" :value="current.catId" :label="current.catId" class="option">
      <span class="mono">{{ current.catId }}</span>
      <span class="soft">{{ current.category }} / {{ current.subCategory }}</span>
    </el-option>
    <template v-for="category in found" :key="category.catId">
      <el-option
        v-if="category.catId !== current?.catId || typed !== ''"
        :value="category.catId"
        :label="category.catId"
        :title="category.meaning"
      >
        <span class="mono">{{ category.catId }}</span>
        <span class="soft">{{ category.category }} / {{ category.subCategory }}</span>
      </el-option>
    </template>
    <template #empty
      ><p class="none">No category with “{{ typed }}”. Try another word.</p></template
    >
  </el-select>
</template>

<style>
.category-options .el-select-dropdown__item {
  height: 26px;
  padding: 0 10px;
  line-height: 26px;
}

.category-options .none {
  padding: 8px 12px;
}
</style>
