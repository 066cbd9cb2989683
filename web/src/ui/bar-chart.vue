<script setup lang="ts">
import {
  BarElement,
  CategoryScale,
  Chart,
  LinearScale,
  Tooltip,
  type ActiveElement,
  type ChartOptions,
} from 'chart.js';
import { computed } from 'vue';
import { Bar } from 'vue-chartjs';
import { useRouter } from 'vue-router';

Chart.register(BarElement, CategoryScale, LinearScale, Tooltip);

/** Bars that open the list behind them. The same numbers stand in a table for whoever reads with a screen reader or a keyboard. */
const props = defineProps<{
  title: string;
  bars: { label: string; value: number; shown: string; to: string }[];
  lying?: boolean;
  /** The end of the scale; else the highest bar. */
  most?: number;
}>();

const router = useRouter();
const theme = getComputedStyle(document.documentElement);
const colour = (name: string): string => theme.getPropertyValue(name).trim();

const data = computed(() => ({
  labels: props.bars.map((bar) => bar.label),
  datasets: [
    {
      data: props.bars.map((bar) => bar.value),
      backgroundColor: colour('--lichen'),
      maxBarThickness: 26,
      // A count of one is still seen beside one of a million.
      minBarLength: 2,
    },
  ],
}));

const options = computed((): ChartOptions<'bar'> => {
  const ticks = { color: colour('--ink-soft'), font: { family: 'IBM Plex Sans', size: 11 } };
  const values = {
    beginAtZero: true,
    ...(props.most === undefined ? {} : { max: props.most }),
    ticks: { ...ticks, precision: 0, maxTicksLimit: 5 },
    grid: { color: colour('--hairline') },
  };
  const names = { ticks: { ...ticks, autoSkip: false }, grid: { display: false } };
  return {
    indexAxis: props.lying ? 'y' : 'x',
    responsive: true,
    maintainAspectRatio: false,
    animation: false,
    scales: props.lying ? { x: values, y: names } : { x: names, y: values },
    plugins: { tooltip: { callbacks: { label: (item) => props.bars[item.dataIndex]?.shown ?? '' } } },
    onHover: (event, elements) => {
      const target = event.native?.target as HTMLElement | undefined;
      if (target) target.style.cursor = elements.length > 0 ? 'pointer' : 'default';
    },
    onClick: (_event, elements: ActiveElement[]) => {
      const bar = props.bars[elements[0]?.index ?? -1];
      if (bar) void router.push(bar.to);
    },
  };
});
</script>

<template>
  <section class="panel chart">
    <h2>{{ title }}</h2>
    <div class="canvas"><bar :data="data" :options="options" aria-hidden="true" /></div>
    <ul class="numbers">
      <li v-for="each in bars" :key="each.label">
        <router-link :to="each.to">{{ each.label }}: {{ each.shown }}</router-link>
      </li>
    </ul>
  </section>
</template>

<style scoped>
.chart {
  position: relative;
  display: flex;
  flex-direction: column;
  min-width: 0;
  padding: 10px 14px;
}

.canvas {
  position: relative;
  flex: 1;
  min-height: 0;
}

/* Out of sight until a link in it has the focus. */
.numbers {
  position: absolute;
  right: 8px;
  bottom: 8px;
  margin: 0;
  padding: 0;
  list-style: none;
}

.numbers a {
  position: absolute;
  right: 0;
  bottom: 0;
  width: 1px;
  height: 1px;
  overflow: hidden;
  white-space: nowrap;
  clip-path: inset(50%);
}

.numbers a:focus {
  width: auto;
  height: auto;
  padding: 4px 8px;
  background: var(--surface);
  clip-path: none;
}
</style>
