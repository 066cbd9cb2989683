<script setup lang="ts">
import { BarElement, CategoryScale, Chart, LinearScale, type ChartOptions } from 'chart.js';
import { computed } from 'vue';
import { Bar } from 'vue-chartjs';
import { formatBytes } from '../ui/format.ts';

Chart.register(BarElement, CategoryScale, LinearScale);

/** How full a drive is: known sounds, everything else, free; in bytes. */
const props = defineProps<{ capacity: number; free: number; sounds: number }>();

const theme = getComputedStyle(document.documentElement);
const colour = (name: string): string => theme.getPropertyValue(name).trim();
// Files may be linked or sparse, so known sounds can seem to take more than is used.
const sounds = computed(() => Math.min(props.sounds, props.capacity - props.free));
const other = computed(() => props.capacity - props.free - sounds.value);
const data = computed(() => ({
  labels: [''],
  datasets: [
    { data: [sounds.value], backgroundColor: colour('--lichen'), barThickness: 14 },
    { data: [other.value], backgroundColor: colour('--wave-soft'), barThickness: 14 },
    { data: [props.free], backgroundColor: colour('--sunken'), barThickness: 14 },
  ],
}));
const options = computed((): ChartOptions<'bar'> => ({
  indexAxis: 'y',
  responsive: true,
  maintainAspectRatio: false,
  animation: false,
  events: [],
  scales: {
    x: { stacked: true, display: false, max: props.capacity },
    y: { stacked: true, display: false },
  },
}));
</script>

<template>
  <div>
    <div class="bar"><bar :data="data" :options="options" aria-hidden="true" /></div>
    <span class="soft"
      >{{ formatBytes(sounds) }} known sounds, {{ formatBytes(other) }} other, {{ formatBytes(free) }} free of
      {{ formatBytes(capacity) }}</span
    >
  </div>
</template>

<style scoped>
.bar {
  position: relative;
  height: 20px;
}
</style>
