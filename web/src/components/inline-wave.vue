<script setup lang="ts">
import { WAVE_BUCKETS } from '@flagstone/contract/measures';
import { useDebounceFn } from '@vueuse/core';
import { shallowRef, watch } from 'vue';
import { knownWave, measuredWaveOf, smallWaveOf } from './wave/small-wave.ts';
import { WAVE_HEIGHT, type WavePaths } from './wave/wave-paths.ts';

/** The waveform of a row. No canvas: each would be a layer of its own, and rows that go by would be put together from hundreds of them. */
const props = defineProps<{ soundId: number }>();
const paths = shallowRef<WavePaths>();

async function draw(): Promise<void> {
  const wanted = props.soundId;
  const found = (await smallWaveOf(wanted)) ?? (wanted === props.soundId ? await measuredWaveOf(wanted) : undefined);
  // The row may show another sound by the time its picture has arrived.
  if (wanted === props.soundId) paths.value = found;
}

/** Rows that only pass by while the table is scrolled are not asked for. */
const STAY_MS = 80;
const drawSoon = useDebounceFn(draw, STAY_MS);
watch(
  () => props.soundId,
  (soundId) => {
    paths.value = knownWave(soundId);
    if (!paths.value) void drawSoon();
  },
  { immediate: true },
);
</script>

<template>
  <svg class="wave" :viewBox="`0 0 ${WAVE_BUCKETS} ${WAVE_HEIGHT}`" aria-hidden="true">
    <path class="peaks" :d="paths?.peaks" />
    <path class="rms" :d="paths?.rms" />
  </svg>
</template>

<style scoped>
.wave {
  display: block;
  width: 84px;
  height: 22px;
  margin-top: 3px;
}

.peaks {
  fill: var(--wave-soft);
}

.rms {
  fill: var(--wave);
}
</style>
