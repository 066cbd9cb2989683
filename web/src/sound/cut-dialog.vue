<script setup lang="ts">
import type { SoundRow } from '@flagstone/contract/record';
import type { Slice } from '@flagstone/core/record/marks';
import { ElButton, ElDialog } from 'element-plus';
import { computed, ref, watch } from 'vue';
import { call } from '../api/client.ts';
import { counted } from '../ui/format.ts';
import { showingErrors, tell } from '../ui/use-errors.ts';
import { useAnswer } from '../ui/use-answer.ts';
import ValueNumber from '../ui/value-number.vue';

/** Shows the files that cutting out would make, then makes them. */
const props = defineProps<{ row: SoundRow; parts: readonly Slice[] }>();
const shown = defineModel<boolean>({ required: true });

const fadeIn = ref(0);
const fadeOut = ref(0);
/** How often it was opened: what was planned then is not planned any more, it may have been run. */
const opening = ref(0);
watch(shown, (on) => on && (opening.value += 1));

const asked = computed(() => ({
  parts: props.parts.map(({ from, to, name }) => ({ from, to, name })),
  fadeInSeconds: fadeIn.value / 1000,
  fadeOutSeconds: fadeOut.value / 1000,
}));
/** Only ever what was planned of these parts with these fades. */
const { answer: planned } = useAnswer(
  () => (shown.value ? JSON.stringify([opening.value, props.row.soundId, asked.value]) : ''),
  async (subject) => {
    if (subject === '') return undefined;
    const plan = await call('planCut', { params: { id: props.row.soundId }, body: asked.value });
    const { items } = await call('listPlanItems', { params: { id: plan.id }, query: { limit: 1000 } });
    return { plan, items };
  },
);

async function run(): Promise<void> {
  const current = planned.value?.plan;
  if (!current) return;
  const job = await showingErrors(() => call('runPlan', { params: { id: current.id }, body: {} }));
  if (!job) return;
  shown.value = false;
  tell(
    `Cutting out ${counted(current.counts.runnable, 'file')}`,
    'The original stays as it is. u takes the new files back.',
  );
}
</script>

<template>
  <el-dialog v-model="shown" title="Cut out into files of their own" width="640" append-to-body>
    <p class="soft">
      They stand beside {{ row.name }}, with its record and the very samples; the original is not touched.
    </p>
    <div class="fades">
      <label
        >Fade in
        <value-number
          :value="fadeIn"
          :min="0"
          :max="10000"
          :step="5"
          label="Fade in, milliseconds"
          @set="(value) => (fadeIn = value)"
        />
        ms</label
      >
      <label
        >Fade out
        <value-number
          :value="fadeOut"
          :min="0"
          :max="10000"
          :step="5"
          label="Fade out, milliseconds"
          @set="(value) => (fadeOut = value)"
        />
        ms</label
      >
    </div>
    <ul class="files">
      <li v-for="item in planned?.items" :key="item.id">
        <span class="mono">{{ item.after['name'] }}</span>
        <div v-for="problem in item.problems" :key="problem.message" :class="problem.severity">
          {{ problem.severity === 'error' ? '✕' : '▲' }} {{ problem.message }}
        </div>
      </li>
    </ul>
    <template #footer>
      <el-button @click="shown = false">Leave it</el-button>
      <el-button type="primary" :disabled="!planned || planned.plan.counts.runnable === 0" @click="run"
        >Cut out {{ counted(planned?.plan.counts.runnable ?? 0, 'file') }}</el-button
      >
    </template>
  </el-dialog>
</template>

<style scoped>
.fades {
  display: flex;
  gap: 20px;
  margin: 10px 0;
}

.files {
  max-height: 320px;
  margin: 0;
  padding: 8px 8px 8px 24px;
  overflow: auto;
  background: var(--ground);
}

.error {
  color: var(--iron);
}

.notice {
  color: var(--ochre-ink);
}
</style>
