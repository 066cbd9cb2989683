<script setup lang="ts">
import { bandFilter, responseDb, type Band } from '@flagstone/core/audio/try-out/biquad';
import { computed, ref } from 'vue';
import { formatFrequency, formatLevel } from '../ui/format.ts';

/** The bands of an equaliser, drawn as what they do: drag a dot, or move it with the arrow keys. */
const props = defineProps<{ bands: readonly Band[]; on: boolean; sampleRateHz: number }>();
const emit = defineEmits<{ change: [bands: Band[]] }>();

const [WIDTH, HEIGHT] = [276, 96];
const [LOW_HZ, HIGH_HZ, MOST_DB] = [20, 20_000, 18];
const NAMES: Record<Band['kind'], string> = {
  lowCut: 'Low cut',
  lowShelf: 'Low shelf',
  bell: 'Bell',
  highShelf: 'High shelf',
  highCut: 'High cut',
};

const picture = ref<SVGSVGElement>();
const held = ref(-1);
const xOf = (hertz: number): number => (Math.log(hertz / LOW_HZ) / Math.log(HIGH_HZ / LOW_HZ)) * WIDTH;
const hertzAt = (x: number): number => LOW_HZ * (HIGH_HZ / LOW_HZ) ** (x / WIDTH);
const yOf = (db: number): number => HEIGHT / 2 - (db / MOST_DB) * (HEIGHT / 2);
const hasGain = (band: Band): boolean => band.kind !== 'lowCut' && band.kind !== 'highCut';

const path = computed(() => {
  const filters = props.bands
    .filter((band) => !hasGain(band) || band.gainDb !== 0)
    .map((band) => bandFilter(band, props.sampleRateHz));
  const points = Array.from({ length: WIDTH / 3 + 1 }, (_, index) => {
    const hertz = hertzAt(index * 3);
    const db = hertz < props.sampleRateHz / 2 ? responseDb(filters, hertz, props.sampleRateHz) : -MOST_DB;
    return `${index * 3} ${yOf(Math.max(-MOST_DB * 1.2, Math.min(MOST_DB * 1.2, db))).toFixed(1)}`;
  });
  return `M${points.join('L')}`;
});

function set(index: number, hertz: number, gainDb: number): void {
  emit(
    'change',
    props.bands.map((band, at) =>
      at === index
        ? {
            ...band,
            hertz: Math.round(Math.max(LOW_HZ, Math.min(HIGH_HZ, hertz))),
            gainDb: hasGain(band) ? Math.round(Math.max(-MOST_DB, Math.min(MOST_DB, gainDb)) * 2) / 2 : 0,
          }
        : band,
    ),
  );
}

function drag(event: PointerEvent): void {
  if (held.value < 0 || !picture.value) return;
  const { left, top, width, height } = picture.value.getBoundingClientRect();
  const [x, y] = [((event.clientX - left) / width) * WIDTH, ((event.clientY - top) / height) * HEIGHT];
  set(held.value, hertzAt(x), ((HEIGHT / 2 - y) / (HEIGHT / 2)) * MOST_DB);
}

function press(event: PointerEvent, index: number): void {
  held.value = index;
  picture.value?.setPointerCapture(event.pointerId);
}

function key(event: KeyboardEvent, index: number): void {
  const band = props.bands[index];
  const [octaves, db] =
    { ArrowLeft: [-1 / 12, 0], ArrowRight: [1 / 12, 0], ArrowUp: [0, 0.5], ArrowDown: [0, -0.5] }[event.key] ?? [];
  if (!band || octaves === undefined || db === undefined) return;
  event.preventDefault();
  event.stopPropagation();
  set(index, band.hertz * 2 ** octaves, band.gainDb + db);
}

function inWords(band: Band): string {
  return `${NAMES[band.kind]} at ${formatFrequency(band.hertz)}${hasGain(band) ? `, ${formatLevel(band.gainDb, 'dB')}` : ''}`;
}
</script>

<template>
  <svg
    ref="picture"
    class="curve"
    :class="{ on }"
    :viewBox="`0 0 ${WIDTH} ${HEIGHT}`"
    @pointermove="drag"
    @pointerup="held = -1"
    @pointercancel="held = -1"
  >
    <line
      v-for="hertz in [100, 1000, 10000]"
      :key="hertz"
      class="grid"
      :x1="xOf(hertz)"
      :x2="xOf(hertz)"
      y1="0"
      :y2="HEIGHT"
    />
    <line class="grid" x1="0" :x2="WIDTH" :y1="HEIGHT / 2" :y2="HEIGHT / 2" />
    <path class="line" :d="path" />
    <g
      v-for="(band, index) in bands"
      :key="index"
      class="dot"
      role="slider"
      tabindex="0"
      :aria-label="NAMES[band.kind]"
      :aria-valuenow="hasGain(band) ? band.gainDb : band.hertz"
      :aria-valuetext="inWords(band)"
      @pointerdown="press($event, index)"
      @keydown="key($event, index)"
    >
      <title>{{ inWords(band) }}</title>
      <circle :cx="xOf(band.hertz)" :cy="yOf(hasGain(band) ? band.gainDb : 0)" r="6" />
      <text :x="xOf(band.hertz)" :y="yOf(hasGain(band) ? band.gainDb : 0) + 3">{{ index + 1 }}</text>
    </g>
  </svg>
</template>

<style scoped>
.curve {
  display: block;
  width: 100%;
  background: var(--ground);
  touch-action: none;
}

.grid {
  stroke: var(--hairline);
}

.line {
  fill: none;
  stroke: var(--ink-soft);
  stroke-width: 1.5;
}

.on .line {
  stroke: var(--heather);
  stroke-width: 2;
}

.dot {
  cursor: grab;
}

.dot circle {
  fill: var(--surface);
  stroke: var(--heather);
  stroke-width: 1.5;
}

.dot text {
  fill: var(--ink);
  font: 8px var(--mono);
  text-anchor: middle;
  pointer-events: none;
}
</style>
