<script setup lang="ts">
import { rowHertz, SPECTROGRAM_FLOOR_DB } from '@flagstone/core/audio/spectrogram';
import { useDebounceFn } from '@vueuse/core';
import { computed, onBeforeUnmount, onMounted, ref, shallowRef, watch } from 'vue';
import { fetchBytes } from '../api/client.ts';
import { useAsking } from '../ui/use-asking.ts';
import type { Span } from '../wave/wave-data.ts';
import { formatFrequency } from '../ui/format.ts';
import { showError } from '../ui/use-errors.ts';
import { placeInWords } from '../wave/time-ruler.ts';
import { heatOf } from './heat.ts';

/** The spectrogram of what the wave shows, with the frequency and level under the pointer. */
const props = defineProps<{
  soundId: number;
  sampleRateHz: number;
  frames: number;
  view: Span;
  scale: 'log' | 'linear';
  size: number;
  /** From 1; 0 for all together. */
  channel: number;
  position: number;
}>();
const emit = defineEmits<{ seek: [frame: number] }>();

const ROWS = 256;
const REST_MS = 120;

const canvas = ref<HTMLCanvasElement>();
const box = ref<HTMLElement>();
const picture = shallowRef<{ span: Span; columns: number; bytes: Uint8Array }>();
const pointer = ref<{ x: number; y: number }>();
const loading = ref(false);

const ask = useAsking();
async function load(): Promise<void> {
  const signal = ask();
  const width = box.value?.clientWidth ?? 0;
  if (width === 0 || props.frames < 1) return;
  loading.value = true;
  const span = { from: Math.floor(props.view.from), to: Math.ceil(props.view.to) };
  const columns = Math.min(2048, width);
  const query = new URLSearchParams({
    from: String(span.from),
    to: String(span.to),
    columns: String(columns),
    rows: String(ROWS),
    size: String(props.size),
    scale: props.scale,
    channel: String(props.channel),
  });
  try {
    const { bytes } = await fetchBytes(`/sounds/${props.soundId}/spectrogram?${query}`, { signal });
    picture.value = { span, columns, bytes: new Uint8Array(bytes) };
    loading.value = false;
    draw();
  } catch (error) {
    if (signal.aborted) return;
    loading.value = false;
    showError(error);
  }
}
const loadSoon = useDebounceFn(load, REST_MS);

/** The picture at its own size; stretched to the view when that has moved on meanwhile. */
let painted: HTMLCanvasElement | undefined;
function paint(): void {
  const current = picture.value;
  if (!current) return;
  painted = document.createElement('canvas');
  painted.width = current.columns;
  painted.height = ROWS;
  const context = painted.getContext('2d');
  if (!context) return;
  const image = context.createImageData(current.columns, ROWS);
  for (let column = 0; column < current.columns; column += 1)
    for (let row = 0; row < ROWS; row += 1)
      image.data.set(
        heatOf(current.bytes[column * ROWS + row] ?? 0),
        ((ROWS - 1 - row) * current.columns + column) * 4,
      );
  context.putImageData(image, 0, 0);
}

function draw(): void {
  const { value: element } = canvas;
  const current = picture.value;
  if (!element || !current || !painted) return;
  const ratio = window.devicePixelRatio;
  element.width = Math.round(element.clientWidth * ratio);
  element.height = Math.round(element.clientHeight * ratio);
  const context = element.getContext('2d');
  if (!context) return;
  const { from, to } = props.view;
  const scale = element.width / (to - from);
  context.fillStyle = `rgb(${heatOf(0).slice(0, 3).join(' ')})`;
  context.fillRect(0, 0, element.width, element.height);
  context.drawImage(
    painted,
    (current.span.from - from) * scale,
    0,
    (current.span.to - current.span.from) * scale,
    element.height,
  );
}
watch(picture, () => {
  paint();
  draw();
});
watch(
  () => [props.view, props.scale, props.size, props.channel, props.soundId],
  () => {
    draw();
    void loadSoon();
  },
);
const observer = new ResizeObserver(() => void loadSoon());
onMounted(() => box.value && observer.observe(box.value));
onBeforeUnmount(() => {
  observer.disconnect();
});

const shape = computed(() => ({ sampleRateHz: props.sampleRateHz, rows: ROWS, scale: props.scale }));
const lines = computed(() => {
  const top = props.sampleRateHz / 2;
  const wanted =
    props.scale === 'log'
      ? [100, 1000, 10_000]
      : [0.25, 0.5, 0.75].map((share) => Math.round((top * share) / 1000) * 1000);
  return wanted.filter((hertz) => hertz < top).map((hertz) => ({ hertz, share: shareOf(hertz) }));
});
function shareOf(hertz: number): number {
  const top = props.sampleRateHz / 2;
  return props.scale === 'linear' ? hertz / top : Math.log(hertz / 20) / Math.log(top / 20);
}

const reading = computed(() => {
  const current = picture.value;
  const at = pointer.value;
  if (!current || !at) return '';
  const frame = props.view.from + at.x * (props.view.to - props.view.from);
  const column = Math.floor(((frame - current.span.from) / (current.span.to - current.span.from)) * current.columns);
  const row = Math.min(ROWS - 1, Math.max(0, Math.floor((1 - at.y) * ROWS)));
  const byte = current.bytes[column * ROWS + row];
  if (byte === undefined) return '';
  const db = SPECTROGRAM_FLOOR_DB * (1 - byte / 255);
  const hertz = (rowHertz(shape.value, row) + rowHertz(shape.value, row + 1)) / 2;
  const facts = { sampleRateHz: props.sampleRateHz, timeReference: null };
  return `${placeInWords(frame, 'time', facts)} · ${formatFrequency(hertz)} · ${byte === 0 ? 'below −120' : db.toFixed(0).replace('-', '−')} dB`;
});

function point(event: PointerEvent): void {
  const { left, top, width, height } = (event.currentTarget as HTMLElement).getBoundingClientRect();
  pointer.value = { x: (event.clientX - left) / width, y: (event.clientY - top) / height };
}

const lineAt = computed(() => ((props.position - props.view.from) / (props.view.to - props.view.from)) * 100);
</script>

<template>
  <div
    ref="box"
    class="spectrogram"
    role="img"
    :aria-label="`Spectrogram, ${scale === 'log' ? 'logarithmic' : 'linear'} frequency`"
    :data-ready="picture !== undefined && !loading"
    @pointermove="point"
    @pointerleave="pointer = undefined"
    @click="pointer && emit('seek', view.from + pointer.x * (view.to - view.from))"
  >
    <canvas ref="canvas" class="canvas" />
    <span v-for="line in lines" :key="line.hertz" class="hertz mono" :style="{ bottom: `${line.share * 100}%` }">{{
      formatFrequency(line.hertz)
    }}</span>
    <span v-if="lineAt >= 0 && lineAt <= 100" class="line" :style="{ left: `${lineAt}%` }" />
    <span v-if="reading" class="reading mono">{{ reading }}</span>
  </div>
</template>

<style scoped>
.spectrogram {
  position: relative;
  min-height: 0;
  overflow: hidden;
  cursor: crosshair;
}

.canvas {
  position: absolute;
  inset: 0;
  width: 100%;
  height: 100%;
}

.hertz {
  position: absolute;
  left: 0;
  padding: 0 3px;
  border-bottom: 1px solid rgb(255 255 255 / 45%);
  color: #fff;
  font-size: 10px;
  line-height: 13px;
  text-shadow: 0 0 3px #000;
  pointer-events: none;
}

.line {
  position: absolute;
  top: 0;
  bottom: 0;
  width: 1px;
  background: #fff;
  pointer-events: none;
}

.reading {
  position: absolute;
  top: 0;
  right: 0;
  padding: 1px 6px;
  background: rgb(20 26 32 / 80%);
  color: #fff;
  font-size: 11px;
  pointer-events: none;
}
</style>
