import type { Whereabouts } from '@flagstone/contract/presence';
import type { Person } from '@flagstone/contract/people';
import { useDebounceFn } from '@vueuse/core';
import { defineStore } from 'pinia';
import { computed, onScopeDispose, shallowRef, triggerRef, watch } from 'vue';
import { call } from '../api/client.ts';
import { PAGE_ID } from '../ui/page-id.ts';
import { useLive } from './live.ts';
import { useSession } from './session.ts';
import { WhoIsWhere } from './who-is-where.ts';

/** Whoever moves through a list is told of where they stop. */
const REST_MS = 300;
const NOWHERE: Whereabouts = { batchId: null, soundId: null };

/** Who else is here, and what they have open; what this page has open is told to the others. */
export const usePresence = defineStore('presence', () => {
  const live = useLive();
  const session = useSession();
  const where = shallowRef(new WhoIsWhere(PAGE_ID));
  let own = NOWHERE;

  const peopleOf = (ids: readonly number[]): Person[] =>
    ids.flatMap((id) => session.people.find((person) => person.id === id) ?? []);
  const everybody = computed(() => peopleOf(where.value.everybody.filter((id) => id !== session.personId)));
  const atSound = (soundId: number): Person[] => peopleOf(where.value.atSound(soundId));
  const inBatch = (batchId: number): Person[] => peopleOf(where.value.inBatch(batchId));

  // That somebody is here is a help and no more: what cannot be told or asked is told and asked again when the line is back.
  const say = (): Promise<unknown> =>
    call('tellWhereabouts', { body: { page: PAGE_ID, ...own } }).catch(() => undefined);
  const saySoon = useDebounceFn(say, REST_MS);
  async function load(): Promise<void> {
    const take = where.value.ask();
    take(await call('listPresence').catch(() => undefined));
    triggerRef(where);
  }
  live.onOpen(() => {
    void load();
    if (own !== NOWHERE) void say();
  });
  live.onPresence((presence, isHere) => {
    where.value.hear(presence, isHere);
    triggerRef(where);
  });

  function tell(now: Whereabouts): void {
    own = now;
    void saySoon();
  }

  return { everybody, atSound, inBatch, tell };
});

/** Tells the others what a place has open, for as long as it is shown. */
export function useWhereabouts(now: () => Whereabouts): void {
  const presence = usePresence();
  watch(
    now,
    (next, before) => {
      if (before?.batchId !== next.batchId || before.soundId !== next.soundId) presence.tell(next);
    },
    { immediate: true },
  );
  onScopeDispose(() => presence.tell(NOWHERE));
}
