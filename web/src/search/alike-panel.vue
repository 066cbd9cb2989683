<script setup lang="ts">
import type { AlikeSound } from '@flagstone/contract/listening';
import type { SoundRow } from '@flagstone/contract/record';
import { ref, watch } from 'vue';
import { call } from '../api/client.ts';
import AlikeList from './alike-list.vue';
import { showingErrors } from '../ui/use-errors.ts';

/** The nearest sounds by ear's measures; a click plays one, the link opens it. */
const props = defineProps<{ row: SoundRow }>();

const alike = ref<AlikeSound[]>();

watch(
  () => props.row.soundId,
  async (id) => {
    alike.value = undefined;
    const found = await showingErrors(() => call('listAlike', { params: { id } }));
    if (id === props.row.soundId) alike.value = found ?? [];
  },
  { immediate: true },
);
</script>

<template>
  <div class="panel-body">
    <p v-if="!alike" class="soft">Looking for the nearest sounds…</p>
    <p v-else-if="alike.length === 0" class="soft">
      Nothing to compare with yet: sounds alike are found once sounds are measured and filed.
    </p>
    <alike-list v-else :alike="alike" />
  </div>
</template>

<style scoped>
.panel-body {
  min-height: 0;
  padding: 10px 12px;
  overflow: auto;
}
</style>
