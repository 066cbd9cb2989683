import type { Authority, AuthorityKind } from '@flagstone/contract/rules';
import type { FieldName } from '@flagstone/core/record/fields';
import { defineStore } from 'pinia';
import { ref } from 'vue';
import { call } from '../api/client.ts';
import { showingErrors } from '../composables/use-errors.ts';

/** Which list a field's values come from, and the field that takes the code of the chosen one. */
type CodeField = 'creatorId' | 'sourceId' | 'licenceUrl';
const LISTS: Partial<Record<FieldName, { kind: AuthorityKind; code?: CodeField }>> = {
  creator: { kind: 'creator', code: 'creatorId' },
  library: { kind: 'library', code: 'sourceId' },
  publisher: { kind: 'publisher' },
  licence: { kind: 'licence', code: 'licenceUrl' },
  microphone: { kind: 'microphone' },
};

/** The lists of names that records should agree on; whoever changes them hands the answer to `set`. */
export const useAuthorities = defineStore('authorities', () => {
  const list = ref<Authority[]>([]);

  async function load(): Promise<void> {
    await showingErrors(async () => {
      list.value = await call('listAuthorities');
    });
  }

  function set(now: Authority[]): void {
    list.value = now;
  }

  /** The names that a field can have, when there is a list for it. */
  function namesFor(field: FieldName): string[] {
    const kind = LISTS[field]?.kind;
    return kind === undefined ? [] : list.value.filter((each) => each.kind === kind).map(({ name }) => name);
  }

  /** What goes with a name: the CreatorID of a creator, the SourceID of a library. */
  function codeWith(field: FieldName, name: string): Partial<Record<CodeField, string>> {
    const of = LISTS[field];
    const entry = list.value.find((each) => each.kind === of?.kind && each.name === name);
    return of?.code !== undefined && entry !== undefined && entry.code !== '' ? { [of.code]: entry.code } : {};
  }

  return { list, load, set, namesFor, codeWith };
});
