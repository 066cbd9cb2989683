<script setup lang="ts">
import { fieldLabel } from '@flagstone/core/record/fields';
import { ElButton, ElDialog } from 'element-plus';
import { computed } from 'vue';
import { canBeBoth, valueInWords } from '../lists/conflict-choice.ts';
import { useConflicts } from '../stores/conflicts.ts';
import { formatWhen } from '../ui/format.ts';

/** Asks what stays of a field that two changed at once. What was typed is lost by no answer: put off, it stays a draft. */
const asked = useConflicts();
const conflicts = computed(() => asked.open?.conflicts ?? []);
const who = computed(() => [...new Set(conflicts.value.map(({ person }) => person))].join(', '));
</script>

<template>
  <el-dialog
    :model-value="asked.open !== undefined"
    :title="`${who} changed the same meanwhile`"
    width="560"
    append-to-body
    @update:model-value="asked.open?.answer(undefined)"
  >
    <dl v-for="each in conflicts" :key="`${each.soundId} ${each.field}`" class="conflict">
      <dt>{{ fieldLabel(each.field) }}</dt>
      <dd>
        <strong>{{ each.person }}, {{ formatWhen(each.at) }}</strong>
        <p class="said">{{ valueInWords(each.theirs) }}</p>
      </dd>
      <dd>
        <strong>You, now</strong>
        <p class="said">{{ valueInWords(each.mine) }}</p>
      </dd>
    </dl>
    <template #footer>
      <el-button autofocus @click="asked.open?.answer('theirs')">Keep theirs</el-button>
      <el-button @click="asked.open?.answer('mine')">Save mine</el-button>
      <el-button v-if="canBeBoth(conflicts)" type="primary" @click="asked.open?.answer('both')"
        >Both together</el-button
      >
    </template>
  </el-dialog>
</template>

<style scoped>
.conflict {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 6px 16px;
  margin: 0 0 12px;
}

dt {
  grid-column: 1 / 3;
  color: var(--ink-soft);
}

dd {
  margin: 0;
  padding: 8px 10px;
  border: 1px solid var(--hairline);
}

.said {
  max-height: 180px;
  margin: 4px 0 0;
  overflow: auto;
  overflow-wrap: anywhere;
  white-space: pre-wrap;
}
</style>
