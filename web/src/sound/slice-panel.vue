<script setup lang="ts">
import type { SoundRow } from '@flagstone/contract/record';
import { USUAL_SLICES, type SliceOptions } from '@flagstone/core/audio/slices/find-slices';
import { useDebounceFn, useLocalStorage } from '@vueuse/core';
import { ElButton, ElCheckbox } from 'element-plus';
import { computed, ref } from 'vue';
import DraftText from '../ui/draft-text.vue';
import { call } from '../api/client.ts';
import { counted } from '../ui/format.ts';
import { showingErrors } from '../ui/use-errors.ts';
import { usePlayer } from '../player/player-store.ts';
import { placeInWords } from '../wave/time-ruler.ts';
import CutDialog from './cut-dialog.vue';
import PlayKeys from './play-keys.vue';
import type { Marks } from './use-marks.ts';
import ValueNumber from '../ui/value-number.vue';
import ValueSlider from '../ui/value-slider.vue';
import { useReadOnly } from '../ui/read-only.ts';

const isReadOnly = useReadOnly();

/** Finds slices, lists them, and everything that is done with them and with sync points. */
const props = defineProps<{ row: SoundRow; marks: Marks }>();
const emit = defineEmits<{ play: [index: number] }>();

const player = usePlayer();
const options = useLocalStorage<SliceOptions>('flagstone.slices', { ...USUAL_SLICES });
const withPoints = useLocalStorage('flagstone.slicePoints', true);
const finding = ref(false);
const cutting = ref(false);
const { marks } = props;
const facts = computed(() => ({ sampleRateHz: props.row.facts.sampleRateHz, timeReference: null }));
const inSeconds = (frame: number): string => placeInWords(frame, 'time', facts.value);

let asking = new AbortController();
async function find(): Promise<void> {
  asking.abort();
  asking = new AbortController();
  const { signal } = asking;
  finding.value = true;
  const found = await showingErrors(() =>
    call('findSlices', { params: { id: props.row.soundId }, body: options.value, signal }),
  );
  if (signal.aborted) return;
  finding.value = false;
  if (found) marks.proposed.value = found;
}
/** While a proposal is shown, it follows the controls. */
const findSoon = useDebounceFn(() => marks.proposed.value && void find(), 150);

function set(change: Partial<SliceOptions>): void {
  options.value = { ...options.value, ...change };
  void findSoon();
}

/** What is cut out: all slices, or else the marked part. */
const parts = computed(() => {
  if (marks.slices.value.length > 0) return marks.slices.value;
  return player.part ? [{ ...player.part, name: '' }] : [];
});

async function openCut(): Promise<void> {
  await marks.save();
  cutting.value = true;
}

defineExpose({ find, openCut });
</script>

<template>
  <div class="panel-body">
    <section class="finding">
      <label class="field"
        ><span class="label">Sensitivity</span>
        <value-slider
          class="grow"
          :value="options.sensitivity"
          label="Sensitivity"
          @set="(sensitivity) => set({ sensitivity })"
        /><span class="mono number">{{ options.sensitivity }}</span></label
      >
      <div class="field">
        <span class="label">At least</span>
        <value-number
          class="seconds"
          :value="options.minimumSeconds"
          :min="0.01"
          :max="60"
          :step="0.05"
          :precision="2"
          label="Least length in seconds"
          @set="(value) => set({ minimumSeconds: value })"
        />
        <span class="soft">s</span>
        <el-checkbox
          :model-value="options.toZeroCrossings"
          label="to zero crossings"
          @update:model-value="(on) => set({ toZeroCrossings: on === true })"
        />
      </div>
      <div class="field">
        <span class="label">Before</span>
        <value-number
          class="seconds"
          :value="options.preRollSeconds"
          :min="0"
          :max="10"
          :step="0.01"
          :precision="2"
          label="Seconds before each"
          @set="(value) => set({ preRollSeconds: value })"
        />
        <span class="soft">s, after</span>
        <value-number
          class="seconds"
          :value="options.postRollSeconds"
          :min="0"
          :max="10"
          :step="0.05"
          :precision="2"
          label="Seconds after each"
          @set="(value) => set({ postRollSeconds: value })"
        />
        <span class="soft">s</span>
      </div>
      <div v-if="!marks.proposed.value" class="buttons">
        <el-button type="primary" :loading="finding" @click="find">Find slices</el-button>
        <el-button :disabled="!player.part" title="s" @click="player.part && marks.addSlice(player.part)"
          >Slice the marked part</el-button
        >
      </div>
      <div v-else class="proposal" role="status">
        <p>
          {{
            marks.proposed.value.slices.length === 0
              ? '○ Nothing stands out: raise the sensitivity, or mark parts by hand.'
              : `◇ ${counted(marks.proposed.value.slices.length, 'slice')} found, not kept yet`
          }}
        </p>
        <el-checkbox v-model="withPoints" label="with a sync point where each strikes" />
        <div class="buttons">
          <el-button
            type="primary"
            :disabled="marks.proposed.value.slices.length === 0"
            title="Enter"
            @click="marks.keepProposed(withPoints)"
            >Keep {{ counted(marks.proposed.value.slices.length, 'slice') }}</el-button
          >
          <el-button @click="marks.proposed.value = undefined">Leave it</el-button>
        </div>
      </div>
    </section>
    <section class="list" aria-label="Slices">
      <h2>{{ counted(marks.shownSlices.value.length, 'slice') }}</h2>
      <p v-if="marks.shownSlices.value.length === 0" class="soft">
        Find them above, or mark a part in the waveform and press <kbd>s</kbd>.
      </p>
      <div
        v-for="(slice, index) in marks.shownSlices.value"
        :key="`${slice.from}-${index}`"
        class="slice"
        :class="{ chosen: index === marks.chosen.value }"
      >
        <button
          type="button"
          class="number-button"
          :aria-label="`Play slice ${index + 1}`"
          @click="emit('play', index)"
        >
          ▶ {{ index + 1 }}
        </button>
        <draft-text
          v-if="!marks.proposed.value"
          class="name"
          :value="slice.name"
          placeholder="Name"
          :maxlength="80"
          :label="`Name of slice ${index + 1}`"
          :save="(name) => marks.changeSlice(index, { name })"
          @focus="marks.chosen.value = index"
        />
        <span v-else class="name" />
        <span class="mono when" :title="`from ${inSeconds(slice.from)}`">{{ inSeconds(slice.from) }}</span>
        <span class="mono soft when">{{ ((slice.to - slice.from) / row.facts.sampleRateHz).toFixed(2) }} s</span>
        <button
          v-if="!marks.proposed.value && !isReadOnly"
          type="button"
          class="in-line-button"
          :aria-label="`Remove slice ${index + 1}`"
          @click="marks.removeSlice(index)"
        >
          ✕
        </button>
      </div>
      <div v-if="!marks.proposed.value && marks.slices.value.length > 0" class="buttons">
        <el-button title="k" @click="marks.splitAt(player.position * player.rate)">Split at the line</el-button>
        <el-button title="j" :disabled="marks.chosen.value < 0" @click="marks.joinWithNext(marks.chosen.value)"
          >Join with next</el-button
        >
      </div>
    </section>
    <section v-if="!marks.proposed.value" class="list" aria-label="Sync points">
      <h2>{{ counted(marks.syncPoints.value.length, 'sync point') }}</h2>
      <p v-if="marks.syncPoints.value.length === 0" class="soft"><kbd>.</kbd> sets one at the play line.</p>
      <div
        v-for="(point, index) in marks.syncPoints.value"
        :key="point.at"
        class="slice"
        :class="{ chosen: index === marks.chosenPoint.value }"
      >
        <button
          type="button"
          class="number-button"
          :aria-label="`Choose sync point ${index + 1}`"
          @click="marks.chosenPoint.value = index"
        >
          ▲ {{ index + 1 }}
        </button>
        <draft-text
          class="name"
          :value="point.name"
          placeholder="Name"
          :maxlength="80"
          :label="`Name of sync point ${index + 1}`"
          :save="(name) => marks.changeSyncPoint(index, { name })"
        />
        <span class="mono when">{{ inSeconds(point.at) }}</span>
        <button
          v-if="!isReadOnly"
          type="button"
          class="in-line-button"
          :aria-label="`Remove sync point ${index + 1}`"
          @click="marks.removeSyncPoint(index)"
        >
          ✕
        </button>
      </div>
      <p v-if="marks.chosenPoint.value >= 0" class="soft">
        <kbd>←</kbd> <kbd>→</kbd> move it by one sample, with Shift by a hundred.
      </p>
    </section>
    <play-keys :count="marks.shownSlices.value.length" @play="(index) => emit('play', index)" />
    <div class="buttons foot">
      <el-button type="primary" :disabled="parts.length === 0 || marks.proposed.value !== undefined" @click="openCut"
        >Cut out {{ marks.slices.value.length > 0 ? counted(parts.length, 'slice') : 'the marked part' }}…</el-button
      >
    </div>
    <cut-dialog v-model="cutting" :row="row" :parts="parts" />
  </div>
</template>

<style scoped>
.panel-body {
  display: flex;
  flex-direction: column;
  gap: 10px;
  min-height: 0;
  padding: 10px 12px;
  overflow: auto;
}

.finding,
.proposal {
  display: flex;
  flex-direction: column;
  gap: 6px;
}

.proposal {
  padding: 8px;
  background: var(--ochre-wash);
}

.field {
  display: flex;
  gap: 8px;
  align-items: center;
}

.label {
  width: 70px;
}

.grow {
  flex: 1;
}

.number {
  width: 24px;
  text-align: right;
}

.seconds {
  width: 76px;
}

.buttons {
  display: flex;
  gap: 6px;
}

.buttons > * {
  flex: 1;
  margin: 0;
}

.list {
  display: flex;
  flex-direction: column;
  gap: 2px;
}

.slice {
  display: flex;
  gap: 6px;
  align-items: center;
  min-height: 26px;
  padding: 0 2px;
}

.slice.chosen {
  background: var(--selected);
  box-shadow: inset 3px 0 0 var(--lichen);
}

.number-button {
  width: 46px;
  border: 0;
  background: none;
  color: var(--ink);
  font: 12px var(--mono);
  text-align: left;
  cursor: pointer;
}

/* Of the fields that are drawn by draft-text. */
:deep(.name) {
  flex: 1;
  min-width: 0;
}

.when {
  font-size: 11px;
}
</style>
