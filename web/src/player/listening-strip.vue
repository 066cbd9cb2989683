<script setup lang="ts">
import { FullScreen, Refresh, VideoPause, VideoPlay, ZoomIn } from '@element-plus/icons-vue';
import { parseSlices, parseSyncPoints } from '@flagstone/core/record/marks';
import { useLocalStorage } from '@vueuse/core';
import { ElButton, ElPopover, ElSlider, ElSwitch } from 'element-plus';
import { computed, onBeforeUnmount, ref, shallowRef, watch } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import { call } from '../api/client.ts';
import { formatChannels, formatKilohertz } from '../ui/format.ts';
import { showError } from '../ui/use-errors.ts';
import { useKeys } from '../ui/use-keys.ts';
import { useAsking } from '../ui/use-asking.ts';
import { useLive } from '../stores/live.ts';
import { usePlayer } from './player-store.ts';
import PickOne from '../ui/pick-one.vue';
import { channelChoices } from '../wave/channel-choices.ts';
import { downloadUrl, draggedFile } from './dragged-file.ts';
import { partWithEdge } from './marked-part.ts';
import LevelMeter from './level-meter.vue';
import { curvesOf, type SoundCurves } from '../wave/sound-curves.ts';
import { placeInWords, type RulerKind } from '../wave/time-ruler.ts';
import type { Span } from '../wave/wave-data.ts';
import WaveView from '../wave/wave-view.vue';

const player = usePlayer();
const live = useLive();
const route = useRoute();
const router = useRouter();
const wave = ref<InstanceType<typeof WaveView>>();
const view = ref<Span>({ from: 0, to: 1 });
const curves = shallowRef<SoundCurves>();
const timeReference = ref<number | null>(null);
const ruler = useLocalStorage<RulerKind>('flagstone.ruler', 'time');
const moreShown = ref(false);
const outputs = ref<{ value: string; label: string }[]>([]);

const frames = computed(() => Math.max(1, Math.round(player.duration * player.rate)));
const position = computed(() => player.position * player.rate);
const facts = computed(() => {
  const row = player.row;
  if (!row) return '';
  const { channels, sampleRateHz, bitDepth, container } = row.facts;
  return [
    formatChannels(channels, row.measured?.channelLayout),
    `${formatKilohertz(sampleRateHz)} kHz`,
    bitDepth > 0 ? `${bitDepth} bit` : '',
    container,
  ]
    .filter((part) => part !== '')
    .join(' · ');
});
const rulerFacts = computed(() => ({ sampleRateHz: player.rate, timeReference: timeReference.value }));
const slices = computed(() => parseSlices(player.row?.record.slices ?? ''));
const syncPoints = computed(() => parseSyncPoints(player.row?.record.syncPoints ?? ''));
const choices = computed(() => (player.row ? channelChoices(player.row) : []));

const ask = useAsking();
async function loadCurves(): Promise<void> {
  const signal = ask();
  const soundId = player.row?.soundId;
  if (soundId === undefined) return;
  try {
    const [found, time] = await Promise.all([
      curvesOf(soundId, signal),
      ruler.value === 'clock' ? call('getFileTime', { params: { id: soundId }, signal }) : undefined,
    ]);
    curves.value = found;
    timeReference.value = time?.timeReference ?? null;
  } catch (error) {
    // While a drive is away the strip says so; the colours of a sound are then left out.
    if (player.row?.state !== 'away' && soundId === player.row?.soundId) showError(error);
  }
}
watch(
  () => player.row?.soundId,
  () => {
    curves.value = undefined;
    timeReference.value = null;
    view.value = { from: 0, to: frames.value };
    void loadCurves();
  },
);
watch(frames, (now, before) => {
  // A length that the header did not tell truly is known once the file is open.
  if (view.value.to === before || view.value.to > now) view.value = { from: 0, to: now };
});
watch(ruler, () => void loadCurves());
onBeforeUnmount(
  live.onRecords((ids, onlyMeasured) => onlyMeasured && ids.has(player.row?.soundId ?? 0) && void loadCurves()),
);

function seekTo(frame: number): void {
  player.seek(frame / player.rate);
  if (!player.playing) player.play();
}

function step(event: KeyboardEvent): void {
  const seconds = { ArrowLeft: -0.5, ArrowRight: 0.5 }[event.key];
  if (seconds === undefined) return;
  event.preventDefault();
  player.seek(player.position + seconds);
}

/** Marks the start or the end of a part at the play line. */
function mark(edge: 'from' | 'to'): boolean {
  if (!player.row) return false;
  player.part = partWithEdge(edge, Math.round(position.value), player.part, frames.value);
  return true;
}

function dragOut(event: DragEvent): void {
  const { row, part, tryingOut: steps } = player;
  if (!row || !event.dataTransfer) return;
  const file = draggedFile({ copyId: row.copyId, soundId: row.soundId, name: row.name, part, steps });
  const url = new URL(file.path, location.href).href;
  event.dataTransfer.effectAllowed = 'copy';
  // Everything but Chromium makes a link of it.
  event.dataTransfer.setData('DownloadURL', downloadUrl(url, file.name));
  event.dataTransfer.setData('text/uri-list', url);
}

async function findOutputs(): Promise<void> {
  const devices = await navigator.mediaDevices.enumerateDevices().catch(() => []);
  outputs.value = devices
    .filter(({ kind, deviceId }) => kind === 'audiooutput' && deviceId !== 'default')
    .map(({ deviceId, label }, index) => ({ value: deviceId, label: label || `Output ${index + 1}` }));
}

async function chooseOutput(id: string): Promise<void> {
  await player.setOutput(id).catch(showError);
}

function openSound(): void {
  if (player.row) void router.push(`/sound/${player.row.soundId}`);
}

useKeys('strip', {
  '[': () => mark('from'),
  ']': () => mark('to'),
  x: () => void (player.part = undefined),
  l: () => void (player.loops = !player.loops),
  '+': () => wave.value?.zoom(0.5),
  '=': () => wave.value?.zoom(0.5),
  '-': () => wave.value?.zoom(2),
  f: () => wave.value?.fit(),
  z: () => wave.value?.zoomToPart(),
  o: () => openSound(),
  'Shift+Space': () => (player.part ? player.playPart(player.part) : false),
});
</script>

<template>
  <footer class="strip" aria-label="Listening strip">
    <div class="controls">
      <div class="top">
        <el-button
          class="play"
          type="primary"
          :icon="player.playing ? VideoPause : VideoPlay"
          :disabled="!player.row"
          :aria-label="player.playing ? 'Pause' : 'Play'"
          @click="player.toggle()"
        />
        <div class="what">
          <strong
            class="name mono"
            :title="player.row ? `${player.row.name}: drag it out of the window to copy it` : ''"
            :draggable="player.row !== undefined"
            @dragstart="dragOut"
            >{{ player.row?.name ?? 'No sound selected' }}</strong
          >
          <span v-if="player.fault" class="fault" role="alert">✕ {{ player.fault }}</span>
          <span v-else-if="player.triedOut" class="tried">◇ Trying out: not the sound as it is</span>
          <span v-else class="soft">{{ player.row ? facts : 'Select a row to hear it' }}</span>
        </div>
      </div>
      <div class="buttons">
        <el-button
          :icon="Refresh"
          :type="player.loops ? 'primary' : ''"
          :aria-pressed="player.loops"
          :title="`${player.part ? 'Repeat the marked part' : 'Repeat the sound'} (l)`"
          @click="player.loops = !player.loops"
          >Loop</el-button
        >
        <el-button :icon="FullScreen" title="The whole sound (f)" :disabled="!player.row" @click="wave?.fit()"
          >Whole</el-button
        >
        <el-button
          :icon="ZoomIn"
          title="Zoom to the marked part (z)"
          :disabled="!player.part"
          @click="wave?.zoomToPart()"
          >Part</el-button
        >
        <el-button
          v-if="!route.path.startsWith('/sound/')"
          title="Slices, spectrogram, trying out (o)"
          :disabled="!player.row"
          @click="openSound"
          >Open…</el-button
        >
      </div>
    </div>
    <div
      class="picture"
      role="slider"
      tabindex="0"
      aria-label="Position"
      :aria-valuemin="0"
      :aria-valuemax="Math.round(player.duration * 10) / 10"
      :aria-valuenow="Math.round(player.position * 10) / 10"
      :aria-valuetext="placeInWords(position, ruler, rulerFacts)"
      @keydown="step"
    >
      <wave-view
        v-if="player.row"
        ref="wave"
        v-model:view="view"
        v-model:part="player.part"
        class="wave"
        :sound-id="player.row.soundId"
        :frames="frames"
        :sample-rate-hz="player.rate"
        :time-reference="timeReference"
        :curves="curves"
        :position="position"
        :ruler="ruler"
        :slices="slices"
        :sync-points="syncPoints"
        @seek="seekTo"
      />
    </div>
    <div class="side">
      <div class="line">
        <span class="mono time">{{ placeInWords(position, ruler, rulerFacts, 2) }}</span>
        <span class="mono soft"
          >of {{ placeInWords(frames, ruler === 'samples' ? 'samples' : 'time', rulerFacts, 1) }}</span
        >
      </div>
      <level-meter />
      <div class="line">
        <label class="row grow"
          >Level
          <el-slider
            v-model="player.level"
            class="level"
            :min="0"
            :max="1"
            :step="0.05"
            :show-tooltip="false"
            aria-label="Listening level"
          />
        </label>
        <el-popover
          v-model:visible="moreShown"
          trigger="click"
          placement="top-end"
          width="300"
          @before-enter="findOutputs"
        >
          <template #reference
            ><el-button :aria-label="'How sounds are heard'">{{
              player.evenLevels ? 'Even ▾' : 'More ▾'
            }}</el-button></template
          >
          <div class="more" @keydown.esc.stop="moreShown = false">
            <label class="row"
              ><el-switch v-model="player.evenLevels" aria-label="Even levels" /> Even levels: all at −23 LUFS</label
            >
            <label class="row"
              ><el-switch v-model="player.goesOn" aria-label="Go on to the next" /> At the end go on to the next</label
            >
            <div class="row">
              <span class="word">Hear</span
              ><pick-one
                class="grow"
                label="What is heard"
                :value="player.channelChoice"
                :choices="choices"
                @pick="(choice) => (player.channelChoice = choice)"
              />
            </div>
            <div class="row">
              <span class="word">Ruler</span>
              <pick-one
                :value="ruler"
                class="grow"
                label="Ruler"
                :choices="[
                  { value: 'time', label: 'Time from the start' },
                  { value: 'clock', label: 'Time of day (TimeReference)' },
                  { value: 'samples', label: 'Samples' },
                ]"
                @pick="(kind) => (ruler = kind)"
              />
            </div>
            <div v-if="outputs.length > 0" class="row">
              <span class="word">Output</span
              ><pick-one
                class="grow"
                label="Output"
                :value="player.outputId"
                :choices="[{ value: '', label: 'The usual output' }, ...outputs]"
                @pick="chooseOutput"
              />
            </div>
          </div>
        </el-popover>
      </div>
      <label class="row"><el-switch v-model="player.playOnSelect" aria-label="Play on select" /> Play on select</label>
    </div>
  </footer>
</template>

<style scoped>
.strip {
  display: grid;
  grid-template-columns: 292px minmax(0, 1fr) 216px;
  gap: 12px;
  align-items: stretch;
  min-height: 0;
  padding: 6px 12px;
  border-top: 1px solid var(--hairline);
  background: var(--surface);
}

.controls {
  display: flex;
  flex-direction: column;
  gap: 8px;
  justify-content: center;
  min-width: 0;
}

.top {
  display: flex;
  gap: 10px;
  align-items: center;
  min-width: 0;
}

.buttons {
  display: flex;
  gap: 4px;
}

.buttons > * {
  flex: 1;
  margin: 0;
  padding: 0 6px;
}

.play {
  width: 44px;
  height: 44px;
  font-size: 24px;
}

.what {
  display: flex;
  flex-direction: column;
  min-width: 0;
}

.name {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
  cursor: grab;
}

.fault {
  color: var(--iron);
}

.tried {
  color: var(--heather);
}

.picture {
  position: relative;
  display: flex;
  min-width: 0;
  min-height: 0;
  border: 1px solid var(--hairline);
  background: var(--ground);
}

.wave {
  flex: 1;
}

.side {
  display: flex;
  flex-direction: column;
  justify-content: space-between;
  min-width: 0;
}

.line {
  display: flex;
  gap: 8px;
  align-items: center;
}

.time {
  font-size: 14px;
  font-weight: 600;
}

.row {
  display: flex;
  gap: 8px;
  align-items: center;
  min-height: 22px;
}

.grow {
  flex: 1;
  min-width: 0;
}

.level {
  flex: 1;
  margin: 0 6px;
}

.more {
  display: flex;
  flex-direction: column;
  gap: 8px;
}

.word {
  width: 48px;
}
</style>
