import type { PullList } from '@flagstone/contract/listening';
import type { SoundRow } from '@flagstone/contract/record';
import type { TryOut } from '@flagstone/core/audio/try-out/try-out';
import { useLocalStorage } from '@vueuse/core';
import { defineStore } from 'pinia';
import { computed, ref } from 'vue';
import { call } from '../api/client.ts';
import { showingErrors, tell } from '../composables/use-errors.ts';
import { useLive } from './live.ts';
import type { Part } from './player.ts';

/** The pull lists, and the one that sounds go to; whoever changes lists hands the answer to `set`. */
export const usePullLists = defineStore('pull-lists', () => {
  const list = ref<PullList[]>([]);
  const chosenId = useLocalStorage('flagstone.pullList', 0);
  const chosen = computed(() => list.value.find(({ id }) => id === chosenId.value) ?? list.value[0]);

  async function load(): Promise<void> {
    await showingErrors(async () => {
      list.value = await call('listPullLists');
    });
  }
  useLive().onPullLists(() => void load());

  function set(now: PullList[]): void {
    list.value = now;
  }

  /** Puts a sound, or a part of it, into the chosen list; makes a first list when there is none. */
  async function add(row: SoundRow, part: Part | null, tryOut: TryOut | null): Promise<void> {
    await showingErrors(async () => {
      if (list.value.length === 0)
        list.value = await call('makePullList', { body: { name: 'Pull list', show: '', scene: '' } });
      const target = chosen.value;
      if (!target) return;
      const body = { soundId: row.soundId, part, tryOut, comment: '' };
      const entries = await call('addPullEntry', { params: { id: target.id }, body });
      tell(
        `${row.name} pulled into “${target.name}”`,
        `${entries.length} in the list${part ? '; only the marked part' : ''}${tryOut ? ', as it was tried out' : ''}.`,
      );
    });
  }

  return { list, chosenId, chosen, load, set, add };
});
