<script setup lang="ts">
import { ElButton } from 'element-plus';
import { computed } from 'vue';
import { call } from '../api/client.ts';
import { formatWhen } from '../ui/format.ts';
import { useAnswer } from '../ui/use-answer.ts';
import { showingErrors, tell } from '../ui/use-errors.ts';
import RevisionChanges from './revision-changes.vue';

/** Who changed a record, when, by what, field by field; any state that it was in can be had again. */
const props = defineProps<{ soundId: number; revision: number }>();

const { answer: history } = useAnswer(
  () => props.soundId,
  (id) => call('getSound', { params: { id } }),
  { dependsOn: () => props.revision },
);
const revisions = computed(() => history.value?.revisions);

/** The number of the oldest revision that is listed; before it stands what was read, or what is too old to be listed. */
const oldest = computed(() => revisions.value?.at(-1)?.revision ?? props.revision);

async function goBackTo(revision: number): Promise<void> {
  const result = await showingErrors(() => call('goBack', { params: { id: props.soundId }, body: { revision } }));
  if (result) tell(result.summary, 'What came after stays in the history; u takes this back.');
}
</script>

<template>
  <section v-if="revisions" class="card-part">
    <p v-if="revisions.length === 0" class="soft">
      Nobody has changed this record yet: it says what the file said when it was read.
    </p>
    <ol v-else aria-label="Revisions, newest first">
      <li v-for="entry in revisions" :key="entry.revision">
        <div class="line">
          <strong>{{ entry.summary }}</strong>
          <el-button
            v-if="entry.revision < revision"
            size="small"
            :aria-label="`Go back to revision ${entry.revision}`"
            @click="goBackTo(entry.revision)"
            >Go back to this</el-button
          >
          <span v-else class="soft">● now</span>
        </div>
        <div class="soft">Revision {{ entry.revision }} by {{ entry.person }}, {{ formatWhen(entry.at) }}</div>
        <revision-changes :revision="entry" />
      </li>
      <li>
        <div class="line">
          <strong>{{ oldest === 2 ? 'Read from the file' : 'Older' }}</strong>
          <el-button size="small" @click="goBackTo(oldest - 1)">Go back to this</el-button>
        </div>
        <div class="soft">Revision {{ oldest - 1 }}</div>
      </li>
    </ol>
    <template v-if="history && history.toldRevisions.length > 0">
      <h3>In other houses</h3>
      <ol aria-label="Revisions in other houses, newest first">
        <li v-for="entry in history.toldRevisions" :key="`${entry.house} ${entry.revision}`">
          <strong>{{ entry.summary }}</strong>
          <div class="soft">
            {{ entry.house || 'Another house' }}: revision {{ entry.revision }} by {{ entry.person }},
            {{ formatWhen(entry.at) }}
          </div>
          <revision-changes :revision="entry" />
        </li>
      </ol>
    </template>
  </section>
  <p v-else class="soft card-part" role="status">Reading the history…</p>
</template>

<style scoped>
ol {
  margin: 0;
  padding: 0;
  list-style: none;
}

li {
  padding: 6px 0;
  border-bottom: 1px solid var(--hairline);
}

.line {
  display: flex;
  gap: 8px;
  align-items: center;
  justify-content: space-between;
}
</style>
