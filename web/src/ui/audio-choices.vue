<script setup lang="ts">
import type { DeliveredAudio } from '@flagstone/core/delivery/profile';
import { computed } from 'vue';
import { CHANNEL_WORDS, choicesOf, CONTAINER_WORDS, DEPTH_WORDS, RATES } from './audio-words.ts';
import PickOne from './pick-one.vue';

type Choices = Pick<DeliveredAudio, 'container' | 'sampleRateHz' | 'depth' | 'channels'>;

/** In what files sounds are made: container, sample rate, bit depth and channels, each as it is or as is wished. */
const props = defineProps<{
  audio: Choices;
  /** Whether a file for each channel may be asked for. */
  splits?: boolean;
}>();
const emit = defineEmits<{ set: [change: Partial<Choices>] }>();
const channels = computed(() => choicesOf(CHANNEL_WORDS).filter(({ value }) => props.splits || value !== 'split'));
</script>

<template>
  <label class="pair"
    >File
    <pick-one
      :value="audio.container"
      :choices="choicesOf(CONTAINER_WORDS)"
      label="File"
      @pick="(container) => emit('set', { container })"
  /></label>
  <label class="pair"
    >Sample rate
    <pick-one
      :value="audio.sampleRateHz ?? 0"
      :choices="RATES"
      label="Sample rate"
      @pick="(rate) => emit('set', { sampleRateHz: rate === 0 ? null : rate })"
  /></label>
  <label class="pair"
    >Bit depth
    <pick-one
      :value="audio.depth"
      :choices="choicesOf(DEPTH_WORDS)"
      label="Bit depth"
      @pick="(depth) => emit('set', { depth })"
  /></label>
  <label class="pair"
    >Channels
    <pick-one
      :value="audio.channels"
      :choices="channels"
      label="Channels"
      @pick="(picked) => emit('set', { channels: picked })"
  /></label>
</template>

<style scoped>
.pair {
  display: grid;
  grid-template-columns: 100px minmax(0, 1fr);
  gap: 8px;
  align-items: center;
}
</style>
