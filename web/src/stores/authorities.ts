import { AUTHORITY_FIELDS, AUTHORITY_KINDS, type Authority, type AuthorityKind } from '@flagstone/contract/authorities';
import type { FieldName } from '@flagstone/core/record/fields';
import { defineStore } from 'pinia';
import { ref } from 'vue';
import { call } from '../api/client.ts';
import { useLive } from './live.ts';
import { useRights } from './rights.ts';
import { showingErrors } from '../ui/use-errors.ts';

type CodeField = NonNullable<(typeof AUTHORITY_FIELDS)[AuthorityKind]['code']>;

/** The list that a field's values come from. */
function kindOf(field: FieldName): AuthorityKind | undefined {
  return AUTHORITY_KINDS.find((kind) => AUTHORITY_FIELDS[kind].name === field);
}

/** The lists of names that records should agree on; whoever changes them hands the answer to `set`. */
export const useAuthorities = defineStore('authorities', () => {
  const rights = useRights();
  const list = ref<Authority[]>([]);
  /** Whether they are known: before, an empty list says nothing. */
  const isLoaded = ref(false);

  async function load(): Promise<void> {
    // They are for those who describe.
    if (!rights.may('assistant')) return;
    await showingErrors(async () => set(await call('listAuthorities')));
  }

  useLive().onAnything(() => void (isLoaded.value && load()));

  function set(now: Authority[]): void {
    list.value = now;
    isLoaded.value = true;
  }

  /** The names that a field can have, when there is a list for it. */
  function namesFor(field: FieldName): string[] {
    const kind = kindOf(field);
    return list.value.filter((each) => each.kind === kind).map(({ name }) => name);
  }

  /** What goes with a name: the CreatorID of a creator, the SourceID of a library. */
  function codeWith(field: FieldName, name: string): Partial<Record<CodeField, string>> {
    const kind = kindOf(field);
    const code = kind === undefined ? undefined : AUTHORITY_FIELDS[kind].code;
    const entry = list.value.find((each) => each.kind === kind && each.name === name);
    return code !== undefined && entry !== undefined && entry.code !== '' ? { [code]: entry.code } : {};
  }

  return { list, isLoaded, load, set, namesFor, codeWith };
});
