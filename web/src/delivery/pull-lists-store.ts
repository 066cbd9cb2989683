import type { PullList } from '@flagstone/contract/pull-lists';
import type { Selection } from '@flagstone/contract/selection';
import type { SoundRow } from '@flagstone/contract/record';
import type { TryOut } from '@flagstone/core/audio/try-out/try-out';
import { useLocalStorage } from '@vueuse/core';
import { defineStore } from 'pinia';
import { computed, ref } from 'vue';
import { call } from '../api/client.ts';
import { counted } from '../ui/format.ts';
import { showingErrors, tell } from '../ui/use-errors.ts';
import { useRights } from '../stores/rights.ts';
import { useLive } from '../stores/live.ts';
import type { Part } from '../player/player-store.ts';

/** The pull lists, and the one that sounds go to; whoever changes lists hands the answer to `set`. */
export const usePullLists = defineStore('pull-lists', () => {
  const list = ref<PullList[]>([]);
  /** Whether the lists are known: before, that there is none may not be so. */
  const isLoaded = ref(false);
  const chosenId = useLocalStorage('flagstone.pullList', 0);
  const chosen = computed(() => list.value.find(({ id }) => id === chosenId.value) ?? list.value[0]);

  async function load(): Promise<void> {
    await showingErrors(async () => set(await call('listPullLists')));
  }
  const rights = useRights();
  useLive().onPullLists(() => void (rights.may('editor') && load()));

  function set(now: PullList[]): void {
    list.value = now;
    isLoaded.value = true;
  }

  /** The list of a number, or the chosen one; makes a first list when there is none. */
  async function targetOf(id: number | undefined): Promise<PullList | undefined> {
    if (!isLoaded.value) set(await call('listPullLists'));
    if (list.value.length === 0)
      set(await call('makePullList', { body: { name: 'Pull list', show: '', scene: '', notes: '' } }));
    return list.value.find((each) => each.id === id) ?? chosen.value;
  }

  /** Puts all sounds of a selection into a list, the chosen one when none is named. */
  async function addAll(selection: Selection, id?: number): Promise<void> {
    await showingErrors(async () => {
      const target = await targetOf(id);
      if (!target) return;
      const { added } = await call('addPullSounds', { params: { id: target.id }, body: { selection } });
      tell(`${counted(added, 'sound')} pulled into “${target.name}”`, 'Behind what was in the list.');
    });
  }

  /** Takes entries of other lists to the end of one. */
  async function take(entryIds: number[], id: number): Promise<void> {
    if (entryIds.length === 0) return;
    await showingErrors(() => call('takePullEntries', { params: { id }, body: { entryIds, before: null } }));
  }

  /** Puts a sound, or a part of it, into the chosen list. */
  async function add(row: SoundRow, part: Part | null, tryOut: TryOut | null): Promise<void> {
    await showingErrors(async () => {
      const target = await targetOf(undefined);
      if (!target) return;
      const body = { soundId: row.soundId, part, tryOut, comment: '' };
      const entries = await call('addPullEntry', { params: { id: target.id }, body });
      tell(
        `${row.name} pulled into “${target.name}”`,
        `${entries.length} in the list${part ? '; only the marked part' : ''}${tryOut ? ', as it was tried out' : ''}.`,
      );
    });
  }

  return { list, isLoaded, chosenId, chosen, load, set, add, addAll, take };
});
