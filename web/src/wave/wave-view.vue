<script setup lang="ts">
import type { Slice, SyncPoint } from '@flagstone/core/record/marks';
import { computed, onBeforeUnmount, onMounted, ref, shallowRef, watch } from 'vue';
import { useSession } from '../stores/session.ts';
import { drawWave } from './draw-wave.ts';
import type { SoundCurves } from './sound-curves.ts';
import { placeInWords, rulerMarks, type RulerKind } from './time-ruler.ts';
import { WaveData, type Span } from './wave-data.ts';

/**
 * A waveform at any zoom: click to play from there, drag to mark a part, drag the play line to scrub, wheel or pinch to zoom around the pointer,
 * with Shift or sideways to move along; slices and sync points where there are any.
 */
const props = defineProps<{
  soundId: number;
  frames: number;
  sampleRateHz: number;
  timeReference: number | null;
  curves: SoundCurves | undefined;
  /** The play line, in frames. */
  position: number;
  ruler: RulerKind;
  slices?: readonly Slice[];
  syncPoints?: readonly SyncPoint[];
  /** Which slice is chosen; -1 for none. */
  chosenSlice?: number;
  /** Slices and sync points can be moved. */
  editable?: boolean;
}>();
const view = defineModel<Span>('view', { required: true });
const part = defineModel<Span | undefined>('part', { required: true });
const emit = defineEmits<{
  seek: [frame: number];
  chooseSlice: [index: number];
  moveSlice: [index: number, span: Span];
  moveSyncPoint: [index: number, at: number];
}>();

const LEAST_FRAMES = 16;
const NEAR_PIXELS = 5;
const DRAG_PIXELS = 4;

const session = useSession();
const canvas = ref<HTMLCanvasElement>();
const box = ref<HTMLElement>();
const width = ref(0);
const data = shallowRef<WaveData>();
const failed = ref(false);
const drawn = ref(0);

watch(
  () => [props.soundId, props.frames] as const,
  ([soundId, frames]) => {
    data.value?.close();
    failed.value = false;
    const made: WaveData = new WaveData(soundId, frames, () => {
      failed.value = made.failed;
      drawSoon();
    });
    data.value = made;
  },
  { immediate: true },
);

let scheduled = 0;
function drawSoon(): void {
  if (scheduled === 0)
    scheduled = requestAnimationFrame(() => {
      scheduled = 0;
      draw();
    });
}

function draw(): void {
  const current = data.value;
  if (!canvas.value || !current) return;
  current.look(view.value, Math.max(1, width.value));
  const stretch = current.stretchFor(view.value);
  if (!stretch) {
    canvas.value.getContext('2d')?.clearRect(0, 0, canvas.value.width, canvas.value.height);
    return;
  }
  drawWave(canvas.value, stretch, { view: view.value, sampleRateHz: props.sampleRateHz, curves: props.curves });
  drawn.value += 1;
}
watch([view, () => props.curves, () => session.night, width], drawSoon, { flush: 'post' });

const observer = new ResizeObserver(() => {
  width.value = box.value?.clientWidth ?? 0;
  drawSoon();
});
onMounted(() => box.value && observer.observe(box.value));
onBeforeUnmount(() => {
  observer.disconnect();
  data.value?.close();
  cancelAnimationFrame(scheduled);
});

const percentOf = (frame: number): number => ((frame - view.value.from) / (view.value.to - view.value.from)) * 100;
const facts = computed(() => ({ sampleRateHz: props.sampleRateHz, timeReference: props.timeReference }));
const marks = computed(() => (width.value > 0 ? rulerMarks(view.value, width.value, props.ruler, facts.value) : []));
/** Only what is in view is laid out: a sound may have thousands of marks. */
const shownSlices = computed(() =>
  (props.slices ?? []).flatMap((slice, index) =>
    slice.to >= view.value.from && slice.from <= view.value.to ? [{ ...slice, index }] : [],
  ),
);
const shownPoints = computed(() =>
  (props.syncPoints ?? []).flatMap((point, index) =>
    point.at >= view.value.from && point.at <= view.value.to ? [{ ...point, index }] : [],
  ),
);

function frameAt(clientX: number): number {
  const { left = 0, width: pixels = 1 } = box.value?.getBoundingClientRect() ?? {};
  const share = Math.max(0, Math.min(1, (clientX - left) / pixels));
  return Math.max(0, Math.min(props.frames, view.value.from + share * (view.value.to - view.value.from)));
}

/** What a press takes hold of. */
type Hold =
  | { what: 'line' }
  | { what: 'part'; anchor: number }
  | { what: 'edge'; slice: number; edge: 'from' | 'to' }
  | { what: 'point'; point: number };
let hold: (Hold & { startX: number; moved: boolean }) | undefined;

function holdAt(event: PointerEvent): Hold {
  const frame = frameAt(event.clientX);
  const near = (at: number): boolean => Math.abs(percentOf(at) - percentOf(frame)) * width.value < NEAR_PIXELS * 100;
  if (near(props.position)) return { what: 'line' };
  if (props.editable) {
    const point = (props.syncPoints ?? []).findIndex(({ at }) => near(at));
    if (point >= 0) return { what: 'point', point };
    for (const { index, from, to } of shownSlices.value) {
      if (near(from)) return { what: 'edge', slice: index, edge: 'from' };
      if (near(to)) return { what: 'edge', slice: index, edge: 'to' };
    }
  }
  // A press near an end of the marked part moves that end.
  const marked = part.value;
  if (marked && near(marked.from)) return { what: 'part', anchor: marked.to };
  if (marked && near(marked.to)) return { what: 'part', anchor: marked.from };
  return { what: 'part', anchor: event.shiftKey && marked ? marked.from : frame };
}

function press(event: PointerEvent): void {
  if (event.button !== 0) return;
  hold = { ...holdAt(event), startX: event.clientX, moved: event.shiftKey };
  (event.currentTarget as HTMLElement).setPointerCapture(event.pointerId);
  if (event.shiftKey) drag(event);
}

function drag(event: PointerEvent): void {
  if (!hold) return;
  if (!hold.moved && Math.abs(event.clientX - hold.startX) < DRAG_PIXELS) return;
  hold.moved = true;
  const frame = Math.round(frameAt(event.clientX));
  if (hold.what === 'line') emit('seek', frame);
  else if (hold.what === 'part')
    part.value = { from: Math.round(Math.min(hold.anchor, frame)), to: Math.round(Math.max(hold.anchor, frame)) };
  else if (hold.what === 'point') emit('moveSyncPoint', hold.point, frame);
  else {
    const slice = props.slices?.[hold.slice];
    if (slice) emit('moveSlice', hold.slice, { from: slice.from, to: slice.to, [hold.edge]: frame });
  }
}

function release(event: PointerEvent): void {
  const held = hold;
  hold = undefined;
  if (!held) return;
  if (held.moved) {
    if (held.what === 'part' && part.value && part.value.to - part.value.from < 2) part.value = undefined;
    return;
  }
  const frame = frameAt(event.clientX);
  const within = shownSlices.value.find(({ from, to }) => frame >= from && frame < to);
  if (within && props.editable) emit('chooseSlice', within.index);
  emit('seek', frame);
}

/** A view within the sound, no shorter than a few samples. */
function bounded(from: number, span: number): Span {
  const length = Math.max(LEAST_FRAMES, Math.min(props.frames, span));
  const start = Math.max(0, Math.min(props.frames - length, from));
  return { from: start, to: start + length };
}

/** Zooms by a factor around a frame: below 1 closer. */
function zoom(factor: number, around = props.position): void {
  const { from, to } = view.value;
  const middle = around < from || around > to ? (from + to) / 2 : around;
  const span = Math.max(LEAST_FRAMES, Math.min(props.frames, (to - from) * factor));
  const share = (middle - from) / (to - from);
  view.value = bounded(middle - share * span, span);
}

function pan(share: number): void {
  const span = view.value.to - view.value.from;
  view.value = bounded(view.value.from + share * span, span);
}

/** Pinching arrives as a wheel with Ctrl. */
function wheel(event: WheelEvent): void {
  const sideways = Math.abs(event.deltaX) > Math.abs(event.deltaY) || event.shiftKey;
  if (sideways) pan((event.deltaX || event.deltaY) / Math.max(1, width.value));
  else zoom(Math.exp(event.deltaY * (event.ctrlKey ? 0.01 : 0.002)), frameAt(event.clientX));
}

function fit(): void {
  view.value = { from: 0, to: Math.max(LEAST_FRAMES, props.frames) };
}

function zoomToPart(): void {
  const marked = part.value;
  if (marked) view.value = bounded(marked.from, marked.to - marked.from);
}

defineExpose({ zoom, pan, fit, zoomToPart, drawn });
</script>

<template>
  <div class="wave-view">
    <div
      ref="box"
      class="box"
      @pointerdown="press"
      @pointermove="drag"
      @pointerup="release"
      @pointercancel="hold = undefined"
      @wheel.prevent="wheel"
    >
      <canvas ref="canvas" class="canvas" aria-hidden="true" />
      <span
        v-for="slice in shownSlices"
        :key="`s${slice.index}`"
        class="slice"
        :class="{ chosen: slice.index === chosenSlice, odd: slice.index % 2 === 1 }"
        :style="{ left: `${percentOf(slice.from)}%`, width: `${percentOf(slice.to) - percentOf(slice.from)}%` }"
        ><span class="slice-name">{{ slice.index + 1 }}{{ slice.name ? ` ${slice.name}` : '' }}</span></span
      >
      <span
        v-if="part"
        class="part"
        :style="{ left: `${percentOf(part.from)}%`, width: `${percentOf(part.to) - percentOf(part.from)}%` }"
      />
      <span
        v-for="point in shownPoints"
        :key="`p${point.index}`"
        class="point"
        :title="point.name || `Sync point ${point.index + 1}`"
        :style="{ left: `${percentOf(point.at)}%` }"
      />
      <span
        v-if="position >= view.from && position <= view.to"
        class="line"
        :style="{ left: `${percentOf(position)}%` }"
      />
      <span v-if="failed" class="message soft"
        >The waveform cannot be drawn; the file is away or its coding is not known.</span
      >
    </div>
    <div class="ruler mono" aria-hidden="true">
      <span v-for="mark in marks" :key="mark.frame" class="mark" :style="{ left: `${percentOf(mark.frame)}%` }">{{
        mark.label
      }}</span>
      <span v-if="part" class="length"
        >{{ placeInWords(part.to - part.from, ruler === 'samples' ? 'samples' : 'time', facts) }} marked</span
      >
    </div>
  </div>
</template>

<style scoped>
.wave-view {
  display: flex;
  flex-direction: column;
  min-width: 0;
  min-height: 0;
  overflow: hidden;
}

.box {
  position: relative;
  flex: 1;
  min-height: 0;
  overflow: hidden;
  cursor: text;
  touch-action: none;
}

.canvas {
  position: absolute;
  inset: 0;
  width: 100%;
  height: 100%;
}

.line {
  position: absolute;
  top: 0;
  bottom: 0;
  width: 1px;
  background: var(--iron);
  pointer-events: none;
}

.part {
  position: absolute;
  top: 0;
  bottom: 0;
  border: solid var(--ink);
  border-width: 0 1px;
  background: color-mix(in srgb, var(--ink) 14%, transparent);
  pointer-events: none;
}

.slice {
  position: absolute;
  top: 0;
  bottom: 0;
  border: solid var(--lichen);
  border-width: 2px 1px 0;
  background: color-mix(in srgb, var(--lichen) 9%, transparent);
  pointer-events: none;
}

.slice.odd {
  background: color-mix(in srgb, var(--lichen) 16%, transparent);
}

.slice.chosen {
  border-width: 4px 2px 0;
  background: color-mix(in srgb, var(--lichen) 28%, transparent);
}

.slice-name {
  display: block;
  padding: 0 4px;
  overflow: hidden;
  color: var(--ink);
  font-size: 11px;
  line-height: 16px;
  white-space: nowrap;
}

.point {
  position: absolute;
  top: 0;
  bottom: 0;
  width: 0;
  border-left: 1px dashed var(--heather);
  pointer-events: none;
}

.point::after {
  position: absolute;
  bottom: 0;
  left: -5px;
  border: solid transparent;
  border-width: 0 5px 8px;
  border-bottom-color: var(--heather);
  content: '';
}

.message {
  position: absolute;
  inset: 0;
  display: grid;
  place-items: center;
  pointer-events: none;
}

.ruler {
  position: relative;
  height: 15px;
  overflow: hidden;
  border-top: 1px solid var(--hairline);
  color: var(--ink-soft);
  font-size: 10px;
  line-height: 14px;
}

.mark {
  position: absolute;
  padding-left: 3px;
  border-left: 1px solid var(--hairline);
  white-space: nowrap;
}

.length {
  position: absolute;
  right: 0;
  padding: 0 4px;
  background: var(--surface);
  color: var(--ink);
}
</style>
