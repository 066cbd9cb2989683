<script setup lang="ts">
import { ElButton, ElDialog, ElInput } from 'element-plus';
import { ref } from 'vue';
import { counted } from '../ui/format.ts';

/** Asks why proposals go back, and how many of a sound. */
const props = defineProps<{
  person: string;
  field: string;
  ofSound: number;
  giveBack: (remark: string, all: boolean) => Promise<boolean>;
}>();
const emit = defineEmits<{ close: [] }>();
const remark = ref('');
const isBusy = ref(false);
const input = ref<InstanceType<typeof ElInput>>();

async function act(all: boolean): Promise<void> {
  isBusy.value = true;
  const isDone = await props.giveBack(remark.value, all);
  isBusy.value = false;
  // What could not be returned stays, with what was typed.
  if (isDone) emit('close');
}
</script>

<template>
  <el-dialog
    :model-value="true"
    :title="`Return to ${person}`"
    width="560"
    @opened="input?.focus()"
    @close="emit('close')"
  >
    <form @submit.prevent="act(false)">
      <label class="field">
        <span>What {{ person }} should know (may be empty)</span>
        <el-input
          ref="input"
          v-model="remark"
          maxlength="2000"
          placeholder="Say which lock gate, and from where it was recorded"
          aria-label="Remark"
        />
      </label>
      <p class="acts">
        <el-button @click="emit('close')">Leave it here</el-button>
        <el-button v-if="ofSound > 1" :loading="isBusy" @click="act(true)"
          >Return all {{ counted(ofSound, 'field') }} of the sound</el-button
        >
        <el-button type="primary" native-type="submit" :loading="isBusy">Return {{ field }}</el-button>
      </p>
    </form>
  </el-dialog>
</template>

<style scoped>
.field {
  display: grid;
  gap: 4px;
}

.acts {
  display: flex;
  gap: 8px;
  justify-content: flex-end;
  margin: 16px 0 0;
}
</style>
