import type { EditConflict } from '@flagstone/contract/record';
import { defineStore } from 'pinia';
import { ref } from 'vue';

/** What two changed at once, while somebody is asked what stays; one question after the other. */
export const useConflicts = defineStore('conflicts', () => {
  const open = ref<{ conflicts: EditConflict[]; answer: (choice: 'theirs' | 'mine' | 'both' | undefined) => void }>();
  let last: Promise<unknown> = Promise.resolve();

  /** What whoever is asked chooses; undefined when they put it off. */
  function ask(conflicts: EditConflict[]): Promise<'theirs' | 'mine' | 'both' | undefined> {
    const asked = last.then(
      () =>
        new Promise<'theirs' | 'mine' | 'both' | undefined>((resolve) => {
          open.value = {
            conflicts,
            answer: (choice) => {
              open.value = undefined;
              resolve(choice);
            },
          };
        }),
    );
    last = asked;
    return asked;
  }

  return { open, ask };
});
