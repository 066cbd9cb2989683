<script setup lang="ts">
import { loudnessOfByte } from '@flagstone/core/audio/loudness-curve';
import { computed, onBeforeUnmount, onMounted, ref, watch } from 'vue';
import { clearedContext } from '../wave/draw-wave.ts';
import type { SoundCurves } from '../wave/sound-curves.ts';
import type { Span } from '../wave/wave-data.ts';
import { formatLevel } from '../ui/format.ts';
import { useSession } from '../stores/session.ts';

/** The momentary loudness of what the wave shows, from -60 LUFS up to 0. */
const props = defineProps<{
  curves: SoundCurves | undefined;
  sampleRateHz: number;
  view: Span;
  integratedLufs: number | null;
  position: number;
}>();

const LOWEST_LUFS = -60;
const STEP_SECONDS = 0.1;
/** A value tells of the 400 ms up to its end, and stands in their middle. */
const FIRST_SECONDS = 0.2;

const session = useSession();
const canvas = ref<HTMLCanvasElement>();

function draw(): void {
  const element = canvas.value;
  const context = element && clearedContext(element);
  const values = props.curves?.loudness;
  if (!element || !context || !values) return;
  const theme = getComputedStyle(element);
  const [width, height] = [element.clientWidth, element.clientHeight];
  const y = (lufs: number): number => height * Math.min(1, Math.max(0, lufs / LOWEST_LUFS));
  const framesAPixel = (props.view.to - props.view.from) / width;
  context.fillStyle = theme.getPropertyValue('--wave-soft');
  for (let x = 0; x < width; x += 1) {
    const seconds = (props.view.from + x * framesAPixel) / props.sampleRateHz;
    const at = Math.round((seconds - FIRST_SECONDS) / STEP_SECONDS);
    const lufs = loudnessOfByte(values[Math.max(0, Math.min(values.length - 1, at))] ?? 0);
    if (lufs !== null) context.fillRect(x, y(lufs), 1, height - y(lufs));
  }
  context.fillStyle = theme.getPropertyValue('--ink-soft');
  context.fillRect(0, y(-23), width, 1);
}
watch([() => props.view, () => props.curves, () => session.night], draw, { flush: 'post' });
const observer = new ResizeObserver(draw);
onMounted(() => canvas.value && observer.observe(canvas.value));
onBeforeUnmount(() => observer.disconnect());

const now = computed(() => {
  const values = props.curves?.loudness;
  if (!values || values.length === 0) return null;
  const at = Math.round((props.position / props.sampleRateHz - FIRST_SECONDS) / STEP_SECONDS);
  return loudnessOfByte(values[Math.max(0, Math.min(values.length - 1, at))] ?? 0);
});
</script>

<template>
  <div class="loudness" role="img" :aria-label="`Loudness over time, ${formatLevel(integratedLufs, 'LUFS')} in all`">
    <canvas ref="canvas" class="canvas" />
    <span class="word mono"
      >Loudness
      {{
        curves && curves.loudness.length > 0 ? `at the line ${formatLevel(now, 'LUFS')}` : '· too short for a curve'
      }}</span
    >
    <span class="reference mono">−23</span>
  </div>
</template>

<style scoped>
.loudness {
  position: relative;
  min-height: 0;
  background: var(--ground);
}

.canvas {
  position: absolute;
  inset: 0;
  width: 100%;
  height: 100%;
}

.word,
.reference {
  position: absolute;
  padding: 0 4px;
  color: var(--ink);
  font-size: 10px;
}

.word {
  top: 0;
  left: 0;
}

.reference {
  top: calc(100% * 23 / 60);
  right: 0;
}
</style>
