<script setup lang="ts">
import { onBeforeUnmount, ref, watch } from 'vue';
import { formatLevel } from '../ui/format.ts';
import { usePlayer } from './player-store.ts';

/** Levels of the sound's channels and how loud it is now, while it plays; bars from -60 dBFS to full scale. */
const player = usePlayer();
const LOWEST_DBFS = -60;
const FALL_DB_A_SECOND = 26;
const HOT_DBFS = -1;

const bars = ref<number[]>([]);
const loudness = ref<number | null>(null);
let frame = 0;
let last = 0;

function follow(now: number): void {
  const reading = player.read();
  const fall = (FALL_DB_A_SECOND * Math.min(100, now - last)) / 1000;
  last = now;
  const peaks = reading?.peaksDbfs ?? bars.value.map(() => null);
  bars.value = peaks.map((peak, channel) =>
    Math.max(LOWEST_DBFS, peak ?? LOWEST_DBFS, (bars.value[channel] ?? LOWEST_DBFS) - fall),
  );
  loudness.value = reading?.momentaryLufs ?? null;
  const isStill = !player.playing && bars.value.every((bar) => bar <= LOWEST_DBFS);
  frame = isStill ? 0 : requestAnimationFrame(follow);
}
watch(
  () => player.playing,
  (on) => {
    if (on && frame === 0) frame = requestAnimationFrame(follow);
  },
  { immediate: true },
);
onBeforeUnmount(() => cancelAnimationFrame(frame));

const percent = (dbfs: number): number => (1 - Math.max(LOWEST_DBFS, dbfs) / LOWEST_DBFS) * 100;
</script>

<template>
  <div
    class="meter"
    role="img"
    :aria-label="`Loudness now ${formatLevel(loudness, 'LUFS')}`"
    :data-peak="Math.max(...bars, LOWEST_DBFS)"
  >
    <div class="bars" aria-hidden="true">
      <span v-for="(bar, channel) in bars.length > 0 ? bars : [LOWEST_DBFS, LOWEST_DBFS]" :key="channel" class="bar">
        <span class="fill" :class="{ hot: bar > HOT_DBFS }" :style="{ width: `${percent(bar)}%` }" />
      </span>
    </div>
    <span class="mono number"
      >{{ loudness === null ? '–' : loudness.toFixed(0).replace('-', '−') }} <span class="soft">LUFS</span></span
    >
  </div>
</template>

<style scoped>
.meter {
  display: flex;
  gap: 8px;
  align-items: center;
}

.bars {
  display: flex;
  flex: 1;
  flex-direction: column;
  gap: 1px;
  justify-content: center;
  height: 18px;
}

.bar {
  flex: 1;
  min-height: 1px;
  max-height: 7px;
  background: var(--sunken);
}

.fill {
  display: block;
  height: 100%;
  background: var(--lichen);
}

.fill.hot {
  background: var(--iron);
}

.number {
  width: 68px;
  text-align: right;
}
</style>
