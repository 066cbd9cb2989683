<script setup lang="ts">
import { useDebounceFn } from '@vueuse/core';
import { onMounted, ref, watch } from 'vue';
import { peaksOf } from '../api/peaks.ts';
import { useSession } from '../stores/session.ts';
import { drawPeaks } from './draw-peaks.ts';

const props = defineProps<{ soundId: number }>();
const canvas = ref<HTMLCanvasElement>();
const session = useSession();

async function draw(): Promise<void> {
  const wanted = props.soundId;
  const picture = await peaksOf(wanted);
  // The row may show another sound by the time its picture has arrived.
  if (picture && canvas.value && wanted === props.soundId)
    drawPeaks(canvas.value, picture, { lanes: 'one', played: 0 });
}

/** Rows that only pass by while the table is scrolled are not asked for. */
const STAY_MS = 80;
const drawSoon = useDebounceFn(draw, STAY_MS);
onMounted(drawSoon);
watch(
  () => props.soundId,
  () => {
    canvas.value?.getContext('2d')?.clearRect(0, 0, canvas.value.width, canvas.value.height);
    void drawSoon();
  },
);
watch(() => session.night, draw, { flush: 'post' });
</script>

<template>
  <canvas ref="canvas" class="wave" aria-hidden="true" />
</template>

<style scoped>
.wave {
  display: block;
  width: 84px;
  height: 22px;
  margin-top: 3px;
}
</style>
