<script setup lang="ts">
import type { SoundRow } from '@flagstone/contract/record';
import type { Slice } from '@flagstone/core/record/marks';
import { ElButton, ElCheckbox, ElDialog, ElInput } from 'element-plus';
import { computed, ref, watch } from 'vue';
import { call } from '../api/client.ts';
import { counted } from '../ui/format.ts';
import { showingErrors, tell } from '../ui/use-errors.ts';
import { useAnswer } from '../ui/use-answer.ts';
import FolderPicker from '../ui/folder-picker.vue';
import ValueNumber from '../ui/value-number.vue';

/** Which parts become files, where they go, and what they will be called; then makes them. */
const props = defineProps<{ row: SoundRow; parts: readonly Slice[] }>();
const shown = defineModel<boolean>({ required: true });

const fadeIn = ref(0);
const fadeOut = ref(0);
/** How often it was opened: what was planned then is not planned any more, it may have been run. */
const opening = ref(0);
watch(shown, (on) => on && (opening.value += 1));

/** The places of those that are left out. */
const left = ref(new Set<number>());
const toPath = ref('');
const picking = ref(false);
watch([shown, () => props.parts.length], () => (left.value = new Set()));

function choose(index: number, isChosen: boolean): void {
  const next = new Set(left.value);
  if (isChosen) next.delete(index);
  else next.add(index);
  left.value = next;
}

const chosen = computed(() => props.parts.filter((_, index) => !left.value.has(index)));
const asked = computed(() => ({
  parts: chosen.value.map(({ from, to, name }) => ({ from, to, name })),
  toPath: toPath.value,
  fadeInSeconds: fadeIn.value / 1000,
  fadeOutSeconds: fadeOut.value / 1000,
}));
/** Only ever what was planned of these parts with these fades. */
const { answer: planned } = useAnswer(
  () => (shown.value && chosen.value.length > 0 ? JSON.stringify([opening.value, props.row.soundId, asked.value]) : ''),
  async (subject) => {
    if (subject === '') return undefined;
    const plan = await call('planCut', { params: { id: props.row.soundId }, body: asked.value });
    const { items } = await call('listPlanItems', { params: { id: plan.id }, query: { limit: 1000 } });
    return { plan, items };
  },
);

/** Each part with what is planned for it; those that are left out have nothing. */
const lines = computed(() => {
  const items = planned.value?.items ?? [];
  let next = 0;
  return props.parts.map((part, index) => {
    const isChosen = !left.value.has(index);
    return { part, index, isChosen, item: isChosen ? items[next++] : undefined };
  });
});
const inSeconds = (frame: number): string => (frame / props.row.facts.sampleRateHz).toFixed(2);

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
    <p class="soft">Each gets the record of {{ row.name }} and the very samples; the original is not touched.</p>
    <div class="place">
      <label
        >Folder
        <el-input
          v-model.lazy="toPath"
          size="small"
          aria-label="Folder for the new files"
          :placeholder="`Beside the original: ${row.driveName} / ${row.folder}`"
      /></label>
      <el-button size="small" @click="picking = true">Choose…</el-button>
    </div>
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
    <div v-if="parts.length > 1" class="which">
      <span class="soft" role="status">{{ chosen.length }} of {{ counted(parts.length, 'part') }}</span>
      <el-button size="small" :disabled="left.size === 0" @click="left = new Set()">All</el-button>
      <el-button size="small" :disabled="chosen.length === 0" @click="left = new Set(parts.keys())">None</el-button>
    </div>
    <ul class="files" aria-label="Parts and their files">
      <li v-for="{ part, index, isChosen, item } in lines" :key="index">
        <el-checkbox
          :model-value="isChosen"
          :aria-label="`Cut out part ${index + 1}`"
          @change="(on: unknown) => choose(index, on === true)"
        />
        <span class="mono soft when">{{ inSeconds(part.from) }}–{{ inSeconds(part.to) }} s</span>
        <span v-if="item" class="mono name">{{ item.after['name'] }}</span>
        <span v-else class="soft">{{ isChosen ? '…' : 'left out' }}</span>
        <div v-for="problem in item?.problems" :key="problem.message" class="problem" :class="problem.severity">
          {{ problem.severity === 'error' ? '✕' : '▲' }} {{ problem.message }}
        </div>
      </li>
    </ul>
    <folder-picker v-model="picking" @choose="(path) => (toPath = path)" />
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
  padding: 4px 10px;
  overflow: auto;
  background: var(--ground);
  list-style: none;
}

.files li {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 10px;
  align-items: center;
}

.when {
  min-width: 118px;
}

.name {
  min-width: 0;
  overflow-wrap: anywhere;
}

.problem {
  flex-basis: 100%;
  padding-left: 24px;
}

.place,
.which {
  display: flex;
  gap: 8px;
  align-items: center;
  margin-top: 10px;
}

.place label {
  display: flex;
  flex: 1;
  gap: 8px;
  align-items: center;
}

.which {
  margin-bottom: 6px;
}

.which .el-button + .el-button {
  margin-left: 0;
}

.error {
  color: var(--iron);
}

.notice {
  color: var(--ochre-ink);
}
</style>
