<script setup lang="ts">
import type { RemovalPreview } from '@flagstone/contract/removals';
import type { Selection } from '@flagstone/contract/selection';
import { ElButton, ElDialog, ElInput } from 'element-plus';
import { ref, watch } from 'vue';
import { call } from '../api/client.ts';
import { counted } from '../ui/format.ts';
import { showingErrors, tell } from '../ui/use-errors.ts';

/** Takes selected sounds out of the catalogue: what that concerns, and why. */
const props = defineProps<{ selection: Selection | undefined }>();
const isOpen = defineModel<boolean>({ required: true });

const found = ref<RemovalPreview>();
const reason = ref('');
const isBusy = ref(false);

watch(isOpen, async (open) => {
  const { selection } = props;
  if (!open || !selection) return;
  found.value = undefined;
  reason.value = '';
  found.value = await showingErrors(() => call('previewRemoval', { body: { selection } }));
});

async function remove(): Promise<void> {
  const { selection } = props;
  if (!selection) return;
  isBusy.value = true;
  const body = { selection, reason: reason.value.trim() };
  const done = await showingErrors(() => call('removeSounds', { body }));
  isBusy.value = false;
  if (!done) return;
  isOpen.value = false;
  tell(
    `${counted(done.removed, 'sound')} taken out of the catalogue`,
    'Their files stay. u takes it back; Setup lists everything that was taken out.',
  );
}
</script>

<template>
  <el-dialog v-model="isOpen" title="Take out of the catalogue" width="520">
    <form @submit.prevent="remove">
      <template v-if="found">
        <p>
          <strong>{{ counted(found.sounds, 'sound') }}</strong> in {{ counted(found.files, 'file') }}
          {{ found.sounds === 1 ? 'leaves' : 'leave' }} the catalogue. The files stay where they are, the records are
          kept, and reading the folders again does not bring them back.
        </p>
        <p v-if="found.inLists > 0">
          ▲ {{ counted(found.inLists, 'of them stands', 'of them stand') }} in pull lists, which keep them.
        </p>
        <p v-if="found.used > 0">
          ▲ {{ counted(found.used, 'of them was', 'of them were') }} delivered or copied out before.
        </p>
        <p v-if="found.kept > 0">
          ■ {{ counted(found.kept, 'sound stays', 'sounds stay') }}: also in a collection in which you are no librarian.
        </p>
      </template>
      <p v-else class="soft">Counting…</p>
      <label for="removal-reason">Why</label>
      <el-input
        id="removal-reason"
        v-model="reason"
        maxlength="500"
        placeholder="For whoever wonders next year: bought twice, licence ended, not ours…"
      />
      <p class="foot">
        <el-button @click="isOpen = false">Cancel</el-button>
        <el-button
          type="danger"
          native-type="submit"
          :loading="isBusy"
          :disabled="!found || found.sounds === 0 || reason.trim() === ''"
          >Take {{ counted(found?.sounds ?? 0, 'sound') }} out</el-button
        >
      </p>
    </form>
  </el-dialog>
</template>

<style scoped>
.foot {
  display: flex;
  gap: 8px;
  justify-content: flex-end;
  margin-top: 16px;
}

.foot .el-button + .el-button {
  margin-left: 0;
}
</style>
