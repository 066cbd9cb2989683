<script setup lang="ts">
import type { Slice, SyncPoint } from '@flagstone/core/record/marks';
import { computed, onBeforeUnmount, onMounted, ref, shallowRef, watch } from 'vue';
import { useSession } from '../stores/session.ts';
import { drawWave } from './draw-wave.ts';
import type { SoundCurves } from './sound-curves.ts';
import { placeInWords, rulerMarks, type RulerKind } from './time-ruler.ts';
import { useWaveGestures } from './use-wave-gestures.ts';
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

const { press, drag, release, cancel, wheel, zoom, pan, fit, zoomToPart } = useWaveGestures(
  {
    view,
    part,
    frames: () => props.frames,
    position: () => props.position,
    slices: () => props.slices ?? [],
    syncPoints: () => props.syncPoints ?? [],
    editable: () => props.editable,
    bounds: () => box.value?.getBoundingClientRect() ?? { left: 0, width: 1 },
  },
  {
    seek: (frame) => emit('seek', frame),
    chooseSlice: (index) => emit('chooseSlice', index),
    moveSlice: (index, span) => emit('moveSlice', index, span),
    moveSyncPoint: (index, at) => emit('moveSyncPoint', index, at),
  },
);

/** The pointer is followed wherever it goes until it is let go. */
function pressed(event: PointerEvent): void {
  if (press(event)) (event.currentTarget as HTMLElement).setPointerCapture(event.pointerId);
}

defineExpose({ zoom, pan, fit, zoomToPart, drawn });
</script>

<template>
  <div class="wave-view">
    <div
      ref="box"
      class="box"
      @pointerdown="pressed"
      @pointermove="drag"
      @pointerup="release"
      @pointercancel="cancel"
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
