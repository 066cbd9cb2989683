import type { SoundRow } from '@flagstone/contract/record';
import { defineStore } from 'pinia';
import { shallowRef } from 'vue';

/** The sound whose fields were copied, to be put onto others; it stays while one changes places. */
export const useCopiedRecord = defineStore('copied-record', () => {
  const source = shallowRef<SoundRow>();

  function take(row: SoundRow): void {
    source.value = row;
  }

  return { source, take };
});
