import type { SoundRow } from '@flagstone/contract/record';
import { useLocalStorage } from '@vueuse/core';
import { defineStore } from 'pinia';
import { ref, shallowRef } from 'vue';
import { audioAddress } from '../api/client.ts';

/** The one player of the listening strip; it goes on while places change. Times in seconds. */
export const usePlayer = defineStore('player', () => {
  const row = shallowRef<SoundRow>();
  const playing = ref(false);
  const position = ref(0);
  const duration = ref(0);
  const fault = ref('');
  const playOnSelect = useLocalStorage('flagstone.playOnSelect', true);
  const level = useLocalStorage('flagstone.level', 0.8);
  const audio = new Audio();
  audio.preload = 'auto';
  audio.volume = level.value;

  const follow = (): void => {
    position.value = audio.currentTime;
    if (!audio.paused) requestAnimationFrame(follow);
  };
  audio.addEventListener('play', () => {
    playing.value = true;
    follow();
  });
  audio.addEventListener('pause', () => (playing.value = false));
  audio.addEventListener('ended', () => (playing.value = false));
  audio.addEventListener('seeked', () => (position.value = audio.currentTime));
  audio.addEventListener('loadedmetadata', () => (duration.value = audio.duration));
  audio.addEventListener('error', () => {
    playing.value = false;
    const container = row.value?.facts.container ?? '';
    fault.value =
      row.value?.state === 'away' ? 'Its drive is not mounted.' : `This browser cannot play this ${container} file.`;
  });

  /** Puts a sound on the strip and, when play on select is on or `andPlay` says so, plays it. */
  function show(next: SoundRow, andPlay = playOnSelect.value): void {
    if (row.value?.copyId !== next.copyId) {
      fault.value = '';
      position.value = 0;
      duration.value = next.facts.durationSeconds;
      audio.src = audioAddress(next.copyId);
    }
    row.value = next;
    if (andPlay) play();
  }

  function play(): void {
    if (!row.value) return;
    if (audio.ended) audio.currentTime = 0;
    audio.play().catch((error: unknown) => {
      // Another sound was chosen before this one began: not a fault.
      if (error instanceof DOMException && error.name === 'AbortError') return;
      if (fault.value === '') fault.value = 'The browser refused to play; click the strip once.';
    });
  }

  function toggle(): void {
    if (audio.paused) play();
    else audio.pause();
  }

  function seek(seconds: number): void {
    audio.currentTime = Math.max(0, Math.min(seconds, duration.value));
    position.value = audio.currentTime;
  }

  function setLevel(value: number): void {
    level.value = value;
    audio.volume = value;
  }

  return { row, playing, position, duration, fault, playOnSelect, level, show, play, toggle, seek, setLevel };
});
