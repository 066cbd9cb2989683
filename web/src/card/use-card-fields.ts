import type { FieldValues, SoundRow } from '@flagstone/contract/record';
import type { Selection } from '@flagstone/contract/selection';
import type { RecordEdit } from '@flagstone/core/record/edit';
import { FIELDS, type FieldName, type SoundRecord } from '@flagstone/core/record/fields';
import { useDebounceFn } from '@vueuse/core';
import { computed, ref, watch, type Ref } from 'vue';
import { keywordChanges } from '../ui/keyword-changes.ts';
import type { Server } from '../ui/server.ts';
import { useAsking } from '../ui/use-asking.ts';
import { sharedValue, valuesIn, type SharedValue } from './shared-value.ts';

/** What a card is about: the rows of its sounds that are loaded, how many sounds there are in all, and how they were selected. */
export interface CardSounds {
  rows: SoundRow[];
  count: number;
  selection?: Selection | undefined;
}

/** While somebody moves through a list, only where they stop is counted. */
const COUNT_AFTER_MS = 200;

/**
 * The fields of a card: what the sounds have in common in each, and the edits that come of typing. A text that is saved late, when the card has turned to other sounds, goes to
 * those for which it was typed.
 */
export function useCardFields(
  sounds: Ref<CardSounds>,
  server: Server,
  /** What else is set together with a value, the code of a person's name for instance. */
  setWith: (name: FieldName, value: string) => Partial<SoundRecord>,
  edit: (edit: RecordEdit, selection?: Selection) => Promise<boolean>,
  countAfterMs = COUNT_AFTER_MS,
) {
  const one = computed(() => (sounds.value.count === 1 ? sounds.value.rows[0] : undefined));
  /** What the server counted of a selection that is not loaded as a whole. */
  const counted = ref<FieldValues>();
  /** What the selected sounds say; until that is counted, those that are loaded speak for all. */
  const values = computed(() => counted.value ?? valuesIn(sounds.value.rows));
  /** One record is shown as it is: what it says, spaces and commas of its keywords too. */
  const shared = computed(
    () =>
      new Map<FieldName, SharedValue>(
        FIELDS.map(({ name }) => [
          name,
          one.value ? { value: one.value.record[name], mixed: false, distinct: 1 } : sharedValue(values.value, name),
        ]),
      ),
  );

  const ask = useAsking();
  const countValues = useDebounceFn(async () => {
    const signal = ask();
    const { selection, rows, count } = sounds.value;
    if (!selection || rows.length === count) return;
    const answer = await server.attempt(() => server.call('countValues', { body: { selection }, signal }));
    if (answer && !signal.aborted) counted.value = answer;
  }, countAfterMs);
  watch(
    () => JSON.stringify(sounds.value.count > 1 && sounds.value.selection),
    () => {
      counted.value = undefined;
      void countValues();
    },
    { immediate: true },
  );
  watch(
    () => sounds.value.rows,
    () => void countValues(),
  );

  /** What the card is about, in one word: a list that is read anew is about the same sounds. */
  const about = computed(() =>
    one.value ? `sound ${one.value.soundId}` : JSON.stringify(sounds.value.selection ?? null),
  );
  /** The selections that drafts may still be saved for: a draft is saved when the card has turned to something else already. */
  let [selectionNow, selectionBefore] = [
    { about: about.value, selection: sounds.value.selection },
    { about: '', selection: sounds.value.selection },
  ];
  watch([about, () => sounds.value.selection], ([now, selection]) => {
    if (now !== selectionNow.about) selectionBefore = selectionNow;
    selectionNow = { about: now, selection };
  });

  function textOf(name: FieldName): string {
    const value = shared.value.get(name)?.value;
    return value === undefined || value === null || Array.isArray(value) ? '' : String(value);
  }

  function numberOf(name: FieldName): number | null {
    const value = shared.value.get(name)?.value;
    return typeof value === 'number' ? value : null;
  }

  function listOf(name: FieldName): string[] {
    const value = shared.value.get(name)?.value;
    return Array.isArray(value) ? value : [];
  }

  function placeholderOf(name: FieldName): string {
    const field = shared.value.get(name);
    return field?.mixed ? `mixed: ${field.distinct} values` : '';
  }

  function editOf(name: FieldName, value: SoundRecord[FieldName]): RecordEdit {
    return { set: { [name]: value, ...(typeof value === 'string' ? setWith(name, value) : {}) } };
  }

  /** False when it could not be saved. */
  async function save(name: FieldName, value: SoundRecord[FieldName]): Promise<boolean> {
    const field = shared.value.get(name);
    const unchanged = !field?.mixed && JSON.stringify(field?.value ?? '') === JSON.stringify(value ?? '');
    // A mixed field that was left empty was not edited.
    if (unchanged || (field?.mixed && (value === '' || value === null))) return true;
    return edit(editOf(name, value));
  }

  /** Saves a text that was typed, of what it was typed for. */
  async function saveTyped(name: FieldName, value: string, typedFor: string | undefined): Promise<boolean> {
    const { selection } = selectionBefore;
    if (typedFor === about.value) return save(name, value);
    return selection !== undefined && selectionBefore.about === typedFor && edit(editOf(name, value), selection);
  }

  /** What was added and taken away, never the whole list: a colleague may have added others since it was shown. */
  function saveKeywords(words: string[]): void {
    const change = keywordChanges(one.value ? listOf('keywords') : [], words);
    if (change) void edit(change);
  }

  return { one, values, about, textOf, numberOf, listOf, placeholderOf, save, saveTyped, saveKeywords };
}
