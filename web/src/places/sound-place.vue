<script setup lang="ts">
import type { Api } from '@flagstone/contract/api';
import type { ErrorBody } from '@flagstone/contract/endpoint';
import type { SoundMeasures } from '@flagstone/contract/measures';
import type { SoundRow } from '@flagstone/contract/record';
import { splitExtension } from '@flagstone/core/naming/name-blocks';
import { useLocalStorage } from '@vueuse/core';
import { ElButton } from 'element-plus';
import type { z } from 'zod';
import { computed, onBeforeUnmount, ref, shallowRef, watch } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import { call } from '../api/client.ts';
import NameBlocks from '../ui/name-blocks.vue';
import PickOne from '../ui/pick-one.vue';
import CardMeasures from '../card/card-measures.vue';
import { remarksOn } from '../card/measure-remarks.ts';
import { curvesOf, type SoundCurves } from '../wave/sound-curves.ts';
import type { Span } from '../wave/wave-data.ts';
import WaveView from '../wave/wave-view.vue';
import { formatFrequency } from '../ui/format.ts';
import { showingErrors } from '../ui/use-errors.ts';
import { useKeys } from '../ui/use-keys.ts';
import { asOfRows, saveEdit } from '../lists/save-edit.ts';
import { useWhereabouts } from '../stores/presence.ts';
import { useLive } from '../stores/live.ts';
import { usePlayer } from '../player/player-store.ts';
import { usePullLists } from '../delivery/pull-lists-store.ts';
import { NEEDS_ASSISTANT } from '../stores/person-rights.ts';
import ReadOnly from '../ui/read-only.vue';
import RefusedPage from '../ui/refused-page.vue';
import { useRights } from '../stores/rights.ts';
import RemarkList from '../remarks/remark-list.vue';
import AlikePanel from '../search/alike-panel.vue';
import LoudnessView from '../sound/loudness-view.vue';
import SlicePanel from '../sound/slice-panel.vue';
import SpectrogramView from '../sound/spectrogram-view.vue';
import TryOutPanel from '../sound/try-out-panel.vue';
import { useMarks } from '../sound/use-marks.ts';
import { useTryOut } from '../sound/use-try-out.ts';

/** One sound as a whole: its picture in time and frequency, its slices and sync points, how it would work, and what is like it. */
const route = useRoute();
const router = useRouter();
const player = usePlayer();
const live = useLive();
const pulls = usePullLists();
const rights = useRights();
if (rights.may('editor')) void pulls.load();
const soundId = computed(() => Number(route.params['id']));
const row = shallowRef<SoundRow>();
const refused = ref<ErrorBody>();
const kin = ref<z.infer<Api['getKin']['response']>>();
const measures = ref<SoundMeasures | null>(null);
const curves = shallowRef<SoundCurves>();
const view = ref<Span>({ from: 0, to: 1 });
const wave = ref<InstanceType<typeof WaveView>>();
const slicing = ref<InstanceType<typeof SlicePanel>>();
const scale = useLocalStorage<'log' | 'linear'>('flagstone.spectrogram.scale', 'log');
const size = useLocalStorage('flagstone.spectrogram.size', 2048);
const channel = ref(0);
const PANELS = [
  { key: 'slices', label: 'Slices' },
  { key: 'try', label: 'Try out' },
  { key: 'alike', label: 'More like this' },
  { key: 'facts', label: 'Facts' },
  { key: 'remarks', label: 'Remarks' },
] as const;
type Panel = (typeof PANELS)[number]['key'];
const panel = computed(() => PANELS.find(({ key }) => key === route.query['panel'])?.key ?? 'slices');

const mayEdit = computed(() => row.value !== undefined && rights.mayIn('assistant', row.value.collectionId));
useWhereabouts(() => ({ batchId: null, soundId: soundId.value }));
const marks = useMarks(row, () => mayEdit.value);
const trying = useTryOut(row);
const rate = computed(() => row.value?.facts.sampleRateHz ?? 48_000);
const frames = computed(() => Math.max(1, row.value?.facts.frames ?? 1));
/** The player may be at another sound, one that is alike for instance. */
const isHere = computed(() => player.row?.soundId === soundId.value);
const position = computed(() => (isHere.value && !player.triedOut ? player.position * rate.value : 0));
const remarks = computed(() => (measures.value ? remarksOn(measures.value, row.value?.facts.isCutShort) : []));

async function load(): Promise<void> {
  const id = soundId.value;
  const isNew = row.value?.soundId !== id;
  await showingErrors(
    async () => {
      const [sound, related, analysis] = await Promise.all([
        call('getSound', { params: { id } }),
        call('getKin', { params: { id } }),
        call('getAnalysis', { params: { id } }),
      ]);
      if (id !== soundId.value) return;
      row.value = sound.row;
      kin.value = related;
      measures.value = analysis.measures;
      document.title = `${sound.row.name} · Flagstone`;
      if (isNew) {
        view.value = { from: 0, to: Math.max(1, sound.row.facts.frames) };
        channel.value = 0;
      }
      if (isHere.value || isNew) player.show(sound.row, false);
      refused.value = undefined;
      curves.value = await curvesOf(id, new AbortController().signal);
    },
    (body) => (refused.value = body),
  );
}
watch(soundId, () => Number.isInteger(soundId.value) && void load(), { immediate: true });
onBeforeUnmount(live.onRecords((ids) => (ids.size === 0 || ids.has(soundId.value)) && void load()));
onBeforeUnmount(live.onJob((job) => job.state === 'done' && ['cut', 'undo'].includes(job.kind) && void load()));

function here(): boolean {
  if (row.value && !isHere.value) player.show(row.value, false);
  return row.value !== undefined;
}

function seekTo(frame: number): void {
  if (!here()) return;
  player.seek(frame / rate.value);
  if (!player.playing) player.play();
}

function playSlice(index: number): boolean {
  const slice = marks.shownSlices.value[index];
  if (!slice || !here()) return false;
  marks.chosen.value = index;
  player.playPart(slice);
  return true;
}

/** The chosen sync point, else the play line, moves by samples or by a hundredth of a second. */
function nudge(direction: number, event: KeyboardEvent): void {
  const point = marks.syncPoints.value[marks.chosenPoint.value];
  if (point)
    marks.changeSyncPoint(marks.chosenPoint.value, {
      at: Math.min(frames.value, point.at + direction * (event.shiftKey ? 100 : 1)),
    });
  else if (here()) player.seek(player.position + direction * (event.shiftKey ? 0.1 : 0.01));
}

function back(): void {
  if (window.history.length > 1) router.back();
  else void router.push('/catalogue');
}

function choosePanel(key: Panel): void {
  void router.replace({ query: { ...route.query, panel: key } });
}

const numberKeys = Object.fromEntries(
  Array.from({ length: 9 }, (_, index) => [String(index + 1), () => playSlice(index)] as const),
);
useKeys('sound', {
  ...numberKeys,
  s: () => (player.part && isHere.value ? marks.addSlice(player.part) : false),
  '.': () => {
    if (here()) marks.addSyncPoint(player.position * rate.value);
  },
  k: () => marks.splitAt(position.value),
  j: () => marks.joinWithNext(marks.chosen.value),
  Enter: () => (marks.proposed.value ? marks.keepProposed(true) : false),
  Delete: () => {
    if (marks.chosenPoint.value >= 0) marks.removeSyncPoint(marks.chosenPoint.value);
    else if (marks.chosen.value >= 0) marks.removeSlice(marks.chosen.value);
    else return false;
  },
  ArrowLeft: (event) => nudge(-1, event),
  ArrowRight: (event) => nudge(1, event),
  h: () => void trying.hear(),
  p: () =>
    row.value &&
    rights.may('editor') &&
    void pulls.add(row.value, player.part ?? null, trying.isOn.value ? trying.tryOut.value : null),
  Escape: () => {
    if (marks.chosenPoint.value >= 0) marks.chosenPoint.value = -1;
    else if (marks.proposed.value) marks.proposed.value = undefined;
    else back();
  },
  c: () => row.value && rights.mayIn('librarian', row.value.collectionId) && void slicing.value?.openCut(),
});

async function take(edit: object): Promise<void> {
  if (!row.value) return;
  const selection = { kind: 'copies' as const, copyIds: [row.value.copyId] };
  await saveEdit({ selection, edit, asOf: asOfRows([row.value]) });
}

const channelNames = computed(() => [
  { value: 0, label: 'All channels' },
  ...Array.from({ length: row.value?.facts.channels ?? 0 }, (_, index) => ({
    value: index + 1,
    label: row.value?.facts.trackNames[index] || `Channel ${index + 1}`,
  })),
]);
</script>

<template>
  <refused-page v-if="refused" :refused="refused" back="/catalogue" back-label="To the catalogue" />
  <div v-else-if="row" class="sound">
    <header class="head">
      <el-button title="Escape" @click="back">← Back</el-button>
      <name-blocks class="blocks" :blocks="row.record" :extension="splitExtension(row.name).extension" />
      <span class="soft from">
        <template v-if="kin?.parent"
          >cut out of <router-link :to="`/sound/${kin.parent.soundId}`">{{ kin.parent.name }}</router-link></template
        >
        <template v-if="kin && kin.children.length > 0">{{ kin.children.length }} cut out of it</template>
      </span>
    </header>
    <div class="pictures">
      <div class="tools">
        <span class="soft">{{ row.name }}</span>
        <span class="spring" />
        <el-button aria-label="Closer" title="+" @click="wave?.zoom(0.5)">+</el-button>
        <el-button aria-label="Further off" title="-" @click="wave?.zoom(2)">−</el-button>
        <el-button @click="wave?.fit()">Whole</el-button>
        <el-button :disabled="!player.part || !isHere" @click="wave?.zoomToPart()">Part</el-button>
        <pick-one
          class="pick"
          label="Frequency scale"
          :value="scale"
          :choices="[
            { value: 'log', label: 'Octaves' },
            { value: 'linear', label: 'Linear' },
          ]"
          @pick="(value) => (scale = value)"
        />
        <pick-one
          class="pick"
          label="Window of the spectrogram"
          :value="size"
          :choices="
            [512, 1024, 2048, 4096, 8192].map((value) => ({ value, label: `to ${formatFrequency(rate / value)}` }))
          "
          @pick="(value) => (size = value)"
        />
        <pick-one
          v-if="row.facts.channels > 1"
          class="pick"
          label="Channel of the spectrogram"
          :value="channel"
          :choices="channelNames"
          @pick="(value) => (channel = value)"
        />
      </div>
      <wave-view
        ref="wave"
        v-model:view="view"
        v-model:part="player.part"
        class="wave"
        :sound-id="row.soundId"
        :frames="frames"
        :sample-rate-hz="rate"
        :time-reference="null"
        :curves="curves"
        :position="position"
        ruler="time"
        editable
        :slices="marks.shownSlices.value"
        :sync-points="marks.shownPoints.value"
        :chosen-slice="marks.chosen.value"
        @seek="seekTo"
        @choose-slice="(index) => (marks.chosen.value = index)"
        @move-slice="(index, span) => !marks.proposed.value && marks.changeSlice(index, span)"
        @move-sync-point="(index, at) => !marks.proposed.value && marks.changeSyncPoint(index, { at })"
      />
      <spectrogram-view
        :sound-id="row.soundId"
        :sample-rate-hz="rate"
        :frames="frames"
        :view="view"
        :scale="scale"
        :size="size"
        :channel="channel"
        :position="position"
        @seek="seekTo"
      />
      <loudness-view
        :curves="curves"
        :sample-rate-hz="rate"
        :view="view"
        :integrated-lufs="measures?.integratedLufs ?? null"
        :position="position"
      />
      <p class="remarks" role="status">
        <template v-if="!measures">○ Not measured yet.</template>
        <template v-else-if="remarks.length === 0">✓ Nothing out of the ordinary.</template>
        <span v-for="remark in remarks" v-else :key="remark.text" :class="{ attention: remark.isWarning }"
          >{{ remark.isWarning ? '▲' : '·' }} {{ remark.text }}
        </span>
      </p>
    </div>
    <aside class="panel">
      <div class="tabs" role="tablist" aria-label="What is shown of the sound">
        <button
          v-for="each in PANELS"
          :key="each.key"
          type="button"
          role="tab"
          :aria-selected="panel === each.key"
          :class="{ current: panel === each.key }"
          @click="choosePanel(each.key)"
        >
          {{ each.label }}{{ each.key === 'remarks' && row.remarks > 0 ? ` ${row.remarks}` : '' }}
        </button>
      </div>
      <read-only v-if="panel === 'slices'" :on="!mayEdit" :why="NEEDS_ASSISTANT">
        <slice-panel ref="slicing" :key="row.soundId" :row="row" :marks="marks" @play="playSlice" />
      </read-only>
      <try-out-panel v-else-if="panel === 'try'" :row="row" :trying="trying" />
      <alike-panel v-else-if="panel === 'alike'" :row="row" />
      <remark-list
        v-else-if="panel === 'remarks'"
        class="facts"
        :sound-id="row.soundId"
        :collection-id="row.collectionId"
      />
      <div v-else class="facts">
        <read-only :on="!mayEdit" :why="NEEDS_ASSISTANT"><card-measures :row="row" @edit="take" /></read-only>
      </div>
    </aside>
  </div>
</template>

<style scoped>
.sound {
  display: grid;
  grid-template: 48px minmax(0, 1fr) / minmax(0, 1fr) 344px;
  height: 100%;
}

.head {
  display: flex;
  grid-column: 1 / 3;
  gap: 12px;
  align-items: center;
  padding: 0 12px;
  border-bottom: 1px solid var(--hairline);
}

.blocks {
  flex: 1;
  min-width: 0;
}

.from {
  max-width: 320px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}

.pictures {
  display: grid;
  grid-template-rows: 36px minmax(0, 5fr) minmax(0, 5fr) 52px auto;
  gap: 4px;
  min-width: 0;
  min-height: 0;
  padding: 0 12px 6px;
}

.tools {
  display: flex;
  gap: 4px;
  align-items: center;
  min-width: 0;
}

.tools > span:first-child {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}

.tools > * {
  margin: 0;
}

.spring {
  flex: 1;
}

.pick {
  width: 104px;
}

.wave {
  border: 1px solid var(--hairline);
  background: var(--surface);
}

.remarks {
  min-height: 20px;
}

.remarks span {
  margin-right: 12px;
}

.attention {
  color: var(--ochre-ink);
}

.panel {
  display: flex;
  flex-direction: column;
  min-height: 0;
  border: 0;
  border-left: 1px solid var(--hairline);
  background: var(--surface);
}

.tabs {
  display: flex;
}

.tabs button {
  flex: 1 1 auto;
  height: 32px;
  padding: 0 2px;
  border: solid var(--hairline);
  border-width: 0 1px 1px 0;
  background: var(--ground);
  color: var(--ink);
  font: inherit;
  white-space: nowrap;
  cursor: pointer;
}

.tabs .current {
  border-bottom-color: transparent;
  background: var(--surface);
  font-weight: 600;
}

.facts {
  overflow: auto;
}
</style>
