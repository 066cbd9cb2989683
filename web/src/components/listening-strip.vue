<script setup lang="ts">
import { VideoPause, VideoPlay } from '@element-plus/icons-vue';
import { ElButton, ElSlider, ElSwitch } from 'element-plus';
import { computed, onBeforeUnmount, onMounted, ref, shallowRef, watch } from 'vue';
import { peaksOf, type PeaksPicture } from '../api/peaks.ts';
import { formatChannels, formatKilohertz, formatLength } from '../composables/format.ts';
import { usePlayer } from '../stores/player.ts';
import { useSession } from '../stores/session.ts';
import { drawPeaks } from './draw-peaks.ts';

const player = usePlayer();
const session = useSession();
const canvas = ref<HTMLCanvasElement>();
const picture = shallowRef<PeaksPicture>();
const undrawable = ref(false);
const played = computed(() => (player.duration > 0 ? Math.min(1, player.position / player.duration) : 0));
const facts = computed(() => {
  const row = player.row;
  if (!row) return '';
  const { channels, sampleRateHz, bitDepth, container } = row.facts;
  return [
    formatChannels(channels),
    `${formatKilohertz(sampleRateHz)} kHz`,
    bitDepth > 0 ? `${bitDepth} bit` : '',
    container,
  ]
    .filter((part) => part !== '')
    .join(' · ');
});

function draw(): void {
  if (canvas.value && picture.value)
    drawPeaks(canvas.value, picture.value, { lanes: 'channels', played: played.value });
}

watch(
  () => player.row?.soundId,
  async (soundId) => {
    picture.value = undefined;
    undrawable.value = false;
    if (soundId === undefined) return;
    const loaded = await peaksOf(soundId);
    if (soundId !== player.row?.soundId) return;
    picture.value = loaded;
    undrawable.value = loaded === undefined;
  },
);
watch([picture, played, () => session.night], draw, { flush: 'post' });

const observer = new ResizeObserver(draw);
onMounted(() => canvas.value && observer.observe(canvas.value));
onBeforeUnmount(() => observer.disconnect());

function seekTo(event: MouseEvent): void {
  if (!player.row || !canvas.value) return;
  const { left, width } = canvas.value.getBoundingClientRect();
  player.seek(((event.clientX - left) / width) * player.duration);
  if (!player.playing) player.play();
}

function step(event: KeyboardEvent): void {
  const seconds = { ArrowLeft: -0.5, ArrowRight: 0.5 }[event.key];
  if (seconds === undefined) return;
  event.preventDefault();
  player.seek(player.position + seconds);
}
</script>

<template>
  <footer class="strip" aria-label="Listening strip">
    <div class="controls">
      <el-button
        class="play"
        type="primary"
        :icon="player.playing ? VideoPause : VideoPlay"
        :disabled="!player.row"
        :aria-label="player.playing ? 'Pause' : 'Play'"
        @click="player.toggle()"
      />
      <div class="what">
        <strong class="name mono" :title="player.row?.name">{{ player.row?.name ?? 'No sound selected' }}</strong>
        <span v-if="player.fault" class="fault" role="alert">✕ {{ player.fault }}</span>
        <span v-else class="soft">{{ player.row ? facts : 'Select a row to hear it' }}</span>
      </div>
    </div>
    <div class="picture">
      <canvas
        ref="canvas"
        class="wave"
        role="slider"
        tabindex="0"
        aria-label="Position"
        :aria-valuemin="0"
        :aria-valuemax="Math.round(player.duration * 10) / 10"
        :aria-valuenow="Math.round(player.position * 10) / 10"
        :aria-valuetext="formatLength(player.position)"
        @click="seekTo"
        @keydown="step"
      />
      <span v-if="player.row" class="line" :style="{ left: `${played * 100}%` }" />
      <span v-if="undrawable" class="message soft"
        >The waveform cannot be drawn; the file is away or its coding is not known.</span
      >
    </div>
    <div class="side">
      <span class="mono time">{{ formatLength(player.position) }} / {{ formatLength(player.duration) }}</span>
      <label class="row"><el-switch v-model="player.playOnSelect" aria-label="Play on select" /> Play on select</label>
      <label class="row"
        >Level
        <el-slider
          class="level"
          :model-value="player.level"
          :min="0"
          :max="1"
          :step="0.05"
          :show-tooltip="false"
          aria-label="Listening level"
          @update:model-value="(value) => player.setLevel(Number(value))"
      /></label>
    </div>
  </footer>
</template>

<style scoped>
.strip {
  display: grid;
  grid-template-columns: 268px minmax(0, 1fr) 170px;
  gap: 12px;
  align-items: stretch;
  min-height: 0;
  padding: 6px 12px;
  border-top: 1px solid var(--hairline);
  background: var(--surface);
}

.controls {
  display: flex;
  gap: 10px;
  align-items: center;
  min-width: 0;
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
}

.fault {
  color: var(--iron);
}

.picture {
  position: relative;
  min-height: 0;
  border: 1px solid var(--hairline);
  background: var(--ground);
}

.wave {
  position: absolute;
  inset: 0;
  width: 100%;
  height: 100%;
  cursor: text;
}

.line {
  position: absolute;
  top: 0;
  bottom: 0;
  width: 1px;
  background: var(--iron);
  pointer-events: none;
}

.message {
  position: absolute;
  inset: 0;
  display: grid;
  place-items: center;
}

.side {
  display: flex;
  flex-direction: column;
  justify-content: space-between;
}

.row {
  display: flex;
  gap: 8px;
  align-items: center;
  height: 22px;
}

.level {
  flex: 1;
  margin: 0 6px;
}
</style>
