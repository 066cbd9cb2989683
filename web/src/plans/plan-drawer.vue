<script setup lang="ts">
import type { Selection } from '@flagstone/contract/selection';
import { ElDrawer } from 'element-plus';
import PlanView from './plan-view.vue';

/** A plan of renaming or writing over the list that it is for. */
defineProps<{ kind: 'rename' | 'write'; selection: Selection | undefined; what: string; currentCopyId: number }>();
const isOpen = defineModel<boolean>({ required: true });
const emit = defineEmits<{ chosen: [copyId: number] }>();
</script>

<template>
  <el-drawer
    v-model="isOpen"
    direction="btt"
    size="88%"
    destroy-on-close
    :title="kind === 'rename' ? 'Rename files' : 'Write records into files'"
  >
    <plan-view
      v-if="isOpen && selection"
      class="in-drawer"
      :kind="kind"
      :selection="selection"
      :what="what"
      :current-copy-id="currentCopyId"
      @chosen="(copyId) => emit('chosen', copyId)"
      @edit-block="(copyId) => emit('chosen', copyId)"
    />
  </el-drawer>
</template>

<style scoped>
.in-drawer {
  height: 100%;
}
</style>
