import { defineStore } from 'pinia';
import { computed } from 'vue';
import { rightsOf } from './person-rights.ts';
import { useSession } from './session.ts';

/** What whoever is signed in may do. The server decides; here it is known what need not be offered. */
export const useRights = defineStore('rights', () => {
  const session = useSession();
  const own = computed(() => rightsOf(session.person));
  const isAdministrator = computed(() => own.value.isAdministrator);
  const roles = computed(() => own.value.roles);
  const best = computed(() => own.value.best);
  type Rights = ReturnType<typeof rightsOf>;
  const may: Rights['may'] = (role) => own.value.may(role);
  const mayIn: Rights['mayIn'] = (role, collectionId) => own.value.mayIn(role, collectionId);
  const mayInAll: Rights['mayInAll'] = (role, collectionIds) => own.value.mayInAll(role, collectionIds);

  return { isAdministrator, roles, best, may, mayIn, mayInAll };
});
