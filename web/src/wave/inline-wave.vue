<script setup lang="ts">
import { WAVE_BUCKETS } from '@flagstone/contract/measures';
import { onBeforeUnmount, shallowRef, watch } from 'vue';
import { knownWave, smallWaveOf } from './small-wave.ts';
import { WAVE_HEIGHT, type WavePaths } from './wave-paths.ts';

/** The waveform of a row. No canvas: each would be a layer of its own, and rows that go by would be put together from hundreds of them. */
const props = defineProps<{ soundId: number }>();
const paths = shallowRef<WavePaths>();

let isThere = true;
onBeforeUnmount(() => (isThere = false));

async function draw(soundId: number): Promise<void> {
  // The row may show another sound by the time its picture has arrived.
  const isWanted = (): boolean => isThere && soundId === props.soundId;
  const found = await smallWaveOf(soundId, isWanted);
  if (isWanted()) paths.value = found;
}

watch(
  () => props.soundId,
  (soundId) => {
    paths.value = knownWave(soundId);
    if (!paths.value) void draw(soundId);
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
