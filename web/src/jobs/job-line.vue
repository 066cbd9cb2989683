<script setup lang="ts">
import type { Job } from '@flagstone/contract/jobs';
import { useNow } from '@vueuse/core';
import { ElButton, ElProgress } from 'element-plus';
import { computed, ref } from 'vue';
import { call } from '../api/client.ts';
import { counted, formatTimeLeft, formatWhen } from '../ui/format.ts';
import { useRights } from '../stores/rights.ts';
import { useSession } from '../stores/session.ts';
import { showingErrors } from '../ui/use-errors.ts';
import { countsOf, findingsOf, rateOf, stateOf } from './job-words.ts';

/** One job with what can be done about it. */
const props = defineProps<{ job: Job }>();

const rights = useRights();
const session = useSession();
/** Who asked for it may stop it, and so may librarians of what it works on. */
const isOurs = computed(() => {
  const { personId, collectionIds } = props.job;
  return (
    personId === session.personId ||
    rights.isAdministrator ||
    (collectionIds.length > 0 && rights.mayInAll('librarian', collectionIds))
  );
});
const now = useNow({ interval: 1000 });
const isOpen = ref(false);
const isUnderWay = computed(() => ['running', 'waiting', 'paused'].includes(props.job.state));
const canRetry = computed(
  () => !isUnderWay.value && props.job.kind !== 'undo' && (props.job.failed > 0 || props.job.state === 'failed'),
);
const percentage = computed(() => {
  const { state, total, done, failed } = props.job;
  if (state === 'done') return 100;
  return total ? Math.min(100, Math.round((100 * (done + failed)) / total)) : 0;
});
const pace = computed(() => {
  const at = now.value.getTime();
  return [rateOf(props.job, at), props.job.state === 'running' ? formatTimeLeft(props.job, at) : '']
    .filter((part) => part !== '')
    .join(', ');
});

function ask(what: 'cancelJob' | 'pauseJob' | 'resumeJob'): void {
  void showingErrors(() => call(what, { params: { id: props.job.id } }));
}
</script>

<template>
  <li>
    <div class="line">
      <strong>{{ job.title }}</strong>
      <span v-if="isOurs" class="acts">
        <el-button
          v-if="job.state === 'running' || (job.state === 'waiting' && job.awaitsDrive === null)"
          link
          @click="ask('pauseJob')"
          >Pause</el-button
        >
        <el-button v-if="job.state === 'paused'" link @click="ask('resumeJob')">Go on</el-button>
        <el-button v-if="isUnderWay" link @click="ask('cancelJob')">Cancel</el-button>
        <el-button v-if="canRetry" link @click="ask('resumeJob')">
          {{ job.failed > 0 ? 'Try the failed again' : 'Try again' }}
        </el-button>
      </span>
    </div>
    <el-progress
      :percentage="percentage"
      :show-text="false"
      :stroke-width="4"
      :status="job.state === 'failed' ? 'exception' : ''"
      :aria-label="`${percentage} %`"
    />
    <div class="line soft">
      <span>{{ stateOf(job) }} · {{ countsOf(job) }}</span>
      <span>{{ pace || formatWhen(job.createdAt) }}</span>
    </div>
    <div v-if="findingsOf(job).length > 0" class="soft">
      <template v-for="(finding, index) in findingsOf(job)" :key="finding.to"
        >{{ index > 0 ? ', ' : '' }}<router-link :to="finding.to">{{ finding.text }}</router-link></template
      >
    </div>
    <template v-if="job.failures.length > 0">
      <button type="button" class="log" :aria-expanded="isOpen" @click="isOpen = !isOpen">
        {{ isOpen ? '▾' : '▸' }} {{ counted(job.failures.length, 'kind') }} of error
      </button>
      <dl v-if="isOpen">
        <template v-for="failure in job.failures" :key="failure.code">
          <dt>{{ counted(failure.count, 'file') }}: {{ failure.remedy }}</dt>
          <dd v-for="example in failure.examples" :key="example" class="mono">{{ example }}</dd>
          <dd v-if="failure.count > failure.examples.length" class="soft">
            and {{ (failure.count - failure.examples.length).toLocaleString('en') }} more
          </dd>
        </template>
      </dl>
    </template>
    <p v-if="job.error" class="error">{{ job.error.message }} {{ job.error.remedy }}</p>
  </li>
</template>

<style scoped>
li {
  padding: 8px 0;
  border-bottom: 1px solid var(--hairline);
}

.line {
  display: flex;
  justify-content: space-between;
  gap: 8px;
}

.acts {
  white-space: nowrap;
}

.log {
  padding: 0;
  border: 0;
  background: none;
  color: var(--iron);
  font: inherit;
  cursor: pointer;
}

dl {
  margin: 4px 0 0 12px;
}

dd {
  margin: 0 0 2px 8px;
  font-size: 12px;
  overflow-wrap: anywhere;
}

.error {
  color: var(--iron);
}
</style>
