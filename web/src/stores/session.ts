import type { Person, SignedIn } from '@flagstone/contract/people';
import { useLocalStorage } from '@vueuse/core';
import { defineStore } from 'pinia';
import { computed, ref, watch } from 'vue';
import { ApiError, call, onSignedOut } from '../api/client.ts';

/** Who is signed in here, who else there is, and the look, which is kept in this browser. */
export const useSession = defineStore('session', () => {
  const people = ref<Person[]>([]);
  const person = ref<SignedIn>();
  const personId = computed(() => person.value?.id ?? 0);
  /** Nobody is signed in, or no longer: the page stays as it is, and the form to sign in stands before it. */
  const isOut = ref(false);
  const night = useLocalStorage('flagstone.night', false);
  watch(night, (on) => (document.documentElement.dataset['theme'] = on ? 'night' : 'day'), { immediate: true });
  /** Requests that came after the end of the session, and wait for the next one. */
  const waiting: (() => void)[] = [];
  onSignedOut(() => {
    isOut.value = true;
    return new Promise((resolve) => waiting.push(resolve));
  });

  /** Finds out who is signed in. False when nobody is; throws ApiError when that cannot be found out. */
  async function load(): Promise<boolean> {
    try {
      const now = await call('getSignedIn', { waitsForSignIn: false });
      people.value = await call('listPeople');
      person.value = now;
      isOut.value = false;
      for (const goOn of waiting.splice(0)) goOn();
      return true;
    } catch (error) {
      if (error instanceof ApiError && error.isSignedOut) {
        isOut.value = true;
        return false;
      }
      throw error;
    }
  }

  /** Takes over who has signed in. Somebody else than before gets a page of their own: nothing of the other one's stays on it. */
  async function begin(now: SignedIn): Promise<void> {
    if (person.value && person.value.id !== now.id) return location.reload();
    await load();
  }

  async function signOut(): Promise<void> {
    await call('signOut', { body: {} });
    location.assign('/');
  }

  return { people, person, personId, isOut, night, load, begin, signOut };
});
