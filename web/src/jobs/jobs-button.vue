<script setup lang="ts">
import type { Job } from '@flagstone/contract/jobs';
import { ElButton, ElPopover } from 'element-plus';
import { useLive } from '../stores/live.ts';
import JobLine from './job-line.vue';
import { countsOf } from './job-words.ts';

/** All long work, newest first: what it is, how far it is, what it found, what went wrong. */
const live = useLive();

function label(job: Job | undefined): string {
  return job ? `${job.title}: ${countsOf(job)}` : 'Jobs';
}
</script>

<template>
  <el-popover placement="bottom-end" :width="420" trigger="click">
    <template #reference>
      <el-button :type="live.running.length > 0 ? 'primary' : 'default'" aria-haspopup="dialog">
        {{ label(live.running.find((job) => job.state === 'running') ?? live.running[0]) }}
      </el-button>
    </template>
    <p v-if="live.areJobsLoaded && live.jobs.length === 0" class="soft">
      No jobs yet. Reading a folder, measuring, renaming and writing show here while they run.
    </p>
    <ul class="jobs" aria-label="Jobs">
      <job-line v-for="job in live.jobs.slice(0, 20)" :key="job.id" :job="job" />
    </ul>
  </el-popover>
</template>

<style scoped>
.jobs {
  max-height: 520px;
  margin: 0;
  padding: 0;
  overflow: auto;
  list-style: none;
}
</style>
