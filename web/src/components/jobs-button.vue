<script setup lang="ts">
import type { Job } from '@flagstone/contract/jobs';
import { ElButton, ElPopover, ElProgress } from 'element-plus';
import { call } from '../api/client.ts';
import { formatFailed, formatWhen } from '../composables/format.ts';
import { showingErrors } from '../composables/use-errors.ts';
import { useLive } from '../stores/live.ts';

const live = useLive();

const STATE_WORDS: Record<Job['state'], string> = {
  waiting: '○ Waiting',
  running: '▶ Running',
  done: '✓ Done',
  failed: '✕ Failed',
  cancelled: '– Cancelled',
};

function percentage(job: Job): number {
  if (job.state === 'done') return 100;
  return job.total ? Math.round((100 * (job.done + job.failed)) / job.total) : 0;
}

function countsOf(job: Job): string {
  const of = job.total === null ? '' : ` of ${job.total.toLocaleString('en')}`;
  return [`${job.done.toLocaleString('en')}${of}`, formatFailed(job)].filter((part) => part !== '').join(', ');
}

/** What reading a folder found, in words; counts of nothing are left out. */
const FOUND_WORDS: Record<string, string> = {
  new: 'new',
  moved: 'moved',
  changedOutside: 'changed outside',
  alreadyHeld: 'already held',
  same: 'the same',
  gone: 'gone',
};

function foundBy(job: Job): string {
  return Object.entries(FOUND_WORDS)
    .filter(([key]) => (job.result[key] ?? 0) > 0)
    .map(([key, word]) => `${(job.result[key] ?? 0).toLocaleString('en')} ${word}`)
    .join(', ');
}

function cancel(job: Job): void {
  void showingErrors(() => call('cancelJob', { params: { id: job.id } }));
}
</script>

<template>
  <el-popover placement="bottom-end" :width="380" trigger="click">
    <template #reference>
      <el-button :type="live.running.length > 0 ? 'primary' : 'default'" aria-haspopup="dialog">
        {{ live.running[0] ? `${live.running[0].title}: ${countsOf(live.running[0])}` : 'Jobs' }}
      </el-button>
    </template>
    <p v-if="live.jobs.length === 0" class="soft">
      No jobs yet. Reading a folder, renaming and writing show here while they run.
    </p>
    <ul class="jobs" aria-label="Jobs">
      <li v-for="job in live.jobs.slice(0, 12)" :key="job.id">
        <div class="line">
          <strong>{{ job.title }}</strong>
          <el-button v-if="job.state === 'running' || job.state === 'waiting'" link @click="cancel(job)"
            >Cancel</el-button
          >
        </div>
        <el-progress
          :percentage="percentage(job)"
          :show-text="false"
          :stroke-width="4"
          :status="job.state === 'failed' ? 'exception' : ''"
        />
        <div class="line soft">
          <span>{{ STATE_WORDS[job.state] }} · {{ countsOf(job) }}</span>
          <span>{{ formatWhen(job.createdAt) }}</span>
        </div>
        <div v-if="foundBy(job)" class="soft">{{ foundBy(job) }}</div>
        <p v-if="job.error" class="error">{{ job.error.message }} {{ job.error.remedy }}</p>
      </li>
    </ul>
  </el-popover>
</template>

<style scoped>
.jobs {
  max-height: 420px;
  margin: 0;
  padding: 0;
  overflow: auto;
  list-style: none;
}

li {
  padding: 8px 0;
  border-bottom: 1px solid var(--hairline);
}

.line {
  display: flex;
  justify-content: space-between;
}

.error {
  color: var(--iron);
}
</style>
