<script setup lang="ts">
import type { Plan, PlanItem } from '@flagstone/contract/plans';
import type { SoundRow } from '@flagstone/contract/record';
import type { Slice } from '@flagstone/core/record/marks';
import { ElButton, ElDialog } from 'element-plus';
import { ref, watch } from 'vue';
import { call } from '../api/client.ts';
import { counted } from '../ui/format.ts';
import { showingErrors, tell } from '../ui/use-errors.ts';
import ValueNumber from '../ui/value-number.vue';

/** Shows the files that cutting out would make, then makes them. */
const props = defineProps<{ row: SoundRow; parts: readonly Slice[] }>();
const shown = defineModel<boolean>({ required: true });

const fadeIn = ref(0);
const fadeOut = ref(0);
const plan = ref<Plan>();
const items = ref<PlanItem[]>([]);

async function preview(): Promise<void> {
  const { row, parts } = props;
  await showingErrors(async () => {
    const body = {
      parts: parts.map(({ from, to, name }) => ({ from, to, name })),
      fadeInSeconds: fadeIn.value / 1000,
      fadeOutSeconds: fadeOut.value / 1000,
    };
    const made = await call('planCut', { params: { id: row.soundId }, body });
    items.value = (await call('listPlanItems', { params: { id: made.id }, query: { limit: 1000 } })).items;
    plan.value = made;
  });
}
/** Milliseconds; the preview follows. */
function setFade(which: 'fadeIn' | 'fadeOut', value: number): void {
  const fade = which === 'fadeIn' ? fadeIn : fadeOut;
  if (fade.value === value) return;
  fade.value = value;
  void preview();
}

watch(shown, (on) => {
  plan.value = undefined;
  if (on) void preview();
});

async function run(): Promise<void> {
  const { value: current } = plan;
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
          @set="(value) => setFade('fadeIn', value)"
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
          @set="(value) => setFade('fadeOut', value)"
        />
        ms</label
      >
    </div>
    <ul class="files">
      <li v-for="item in items" :key="item.id">
        <span class="mono">{{ item.after['name'] }}</span>
        <div v-for="problem in item.problems" :key="problem.message" :class="problem.severity">
          {{ problem.severity === 'error' ? '✕' : '▲' }} {{ problem.message }}
        </div>
      </li>
    </ul>
    <template #footer>
      <el-button @click="shown = false">Leave it</el-button>
      <el-button type="primary" :disabled="!plan || plan.counts.runnable === 0" @click="run"
        >Cut out {{ counted(plan?.counts.runnable ?? 0, 'file') }}</el-button
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
