<script setup lang="ts">
import type { SoundRow } from '@flagstone/contract/record';
import { call } from '../api/client.ts';
import AlikeList from './alike-list.vue';
import { useAnswer } from '../ui/use-answer.ts';

/** The nearest sounds by ear's measures; a click plays one, the link opens it. */
const props = defineProps<{ row: SoundRow }>();

const { answer: alike } = useAnswer(
  () => props.row.soundId,
  (id) => call('listAlike', { params: { id } }),
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
