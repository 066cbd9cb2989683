<script setup lang="ts">
import { TapTempo } from '@flagstone/core/audio/tap-tempo';
import { useTimeoutFn } from '@vueuse/core';
import { ElButton } from 'element-plus';
import { ref } from 'vue';
import { useKeys } from '../ui/use-keys.ts';

/** A tempo tapped in time on the button or on `t`; taken when the tapping stops. */
const emit = defineEmits<{ tapped: [beatsPerMinute: number] }>();

/** Taps that make a tempo worth taking. */
const FEWEST_TAPS = 4;
const PAUSE_MS = 2000;

const tempo = new TapTempo();
const heard = ref<number>();
const count = ref(0);
const { start } = useTimeoutFn(
  () => {
    if (heard.value !== undefined && count.value >= FEWEST_TAPS) emit('tapped', heard.value);
    heard.value = undefined;
    count.value = 0;
  },
  PAUSE_MS,
  { immediate: false },
);

function tap(): void {
  const now = tempo.tap(performance.now() / 1000);
  count.value = tempo.count;
  heard.value = now === null ? undefined : Math.round(now * 10) / 10;
  start();
}

useKeys('tempo', { t: tap });
</script>

<template>
  <el-button size="small" title="Tap in time (t); the tempo is taken when you stop" @click="tap">Tap</el-button>
  <span v-if="count > 0" role="status" class="soft">{{
    heard === undefined || count < FEWEST_TAPS ? `${FEWEST_TAPS - count} more` : heard.toFixed(1)
  }}</span>
</template>
