import type { Person } from '@flagstone/contract/people';
import { useLocalStorage } from '@vueuse/core';
import { defineStore } from 'pinia';
import { computed, ref, watch } from 'vue';
import { call, setActingPerson } from '../api/client.ts';

/** Who acts, and the look: kept in this browser. */
export const useSession = defineStore('session', () => {
  const people = ref<Person[]>([]);
  const personId = useLocalStorage('flagstone.person', 0);
  const night = useLocalStorage('flagstone.night', false);
  const person = computed(() => people.value.find((candidate) => candidate.id === personId.value));
  watch(personId, setActingPerson, { immediate: true, flush: 'sync' });
  watch(night, (on) => (document.documentElement.dataset['theme'] = on ? 'night' : 'day'), { immediate: true });

  async function load(): Promise<void> {
    people.value = await call('listPeople');
    const [first] = people.value;
    if (!person.value && first) personId.value = first.id;
  }

  return { people, personId, person, night, load };
});
