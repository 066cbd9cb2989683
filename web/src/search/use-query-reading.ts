import type { QueryReading } from '@flagstone/contract/reading';
import { parseQuery } from '@flagstone/core/query/search-query';
import { useDebounceFn } from '@vueuse/core';
import { computed, ref, watch, type Ref } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import { call } from '../api/client.ts';
import { useAsking } from '../ui/use-asking.ts';
import { showingErrors } from '../ui/use-errors.ts';

/** With fewer sounds than this a word is widened by those that mean the same, unasked. */
const FEW = 12;
const REST_MS = 150;

/**
 * What the words of the search line mean for this collection, and what is searched for then: misspelt words put right, and the words that stand beside
 * those typed. Both can be refused; the address bar says so (`exact`, `widen`), so that a link shows the same.
 */
export function useQueryReading(typed: Ref<string>) {
  const route = useRoute();
  const router = useRouter();
  const read = ref<{ line: string; reading: QueryReading }>();
  /** The reading of what is typed now; that of a line before says nothing any more. */
  const reading = computed(() => (read.value?.line === typed.value ? read.value.reading : undefined));

  const ask = useAsking();
  const readSoon = useDebounceFn(async () => {
    const signal = ask();
    const line = typed.value;
    if (line.trim() === '' || parseQuery(line, true).faults.length > 0) return;
    const answer = await showingErrors(() => call('readQuery', { query: { q: line }, signal }));
    if (answer && !signal.aborted) read.value = { line, reading: answer };
  }, REST_MS);
  watch(typed, () => void readSoon(), { immediate: true });

  const corrected = computed(() => (route.query['exact'] === '1' ? null : (reading.value?.corrected ?? null)));
  /** Pairs of a word and one that is searched for beside it. */
  const unasked = computed(
    () =>
      reading.value?.words
        .filter(({ sounds, instead }) => sounds < FEW && instead === null)
        .flatMap(({ text, related }) =>
          related.filter(({ kind }) => kind === 'same' || kind === 'heard').map(({ word }) => `${text}~${word}`),
        ) ?? [],
  );
  const pairs = computed(() => {
    const { widen } = route.query;
    if (typeof widen !== 'string') return unasked.value;
    return widen === 'off' ? [] : widen.split(',');
  });
  const related = computed(
    () =>
      reading.value?.words.flatMap(({ text, related: words }) =>
        words.map((each) => ({
          ...each,
          of: text,
          pair: `${text}~${each.word}`,
          on: pairs.value.includes(`${text}~${each.word}`),
        })),
      ) ?? [],
  );

  function turn(pair: string): void {
    const next = pairs.value.includes(pair) ? pairs.value.filter((each) => each !== pair) : [...pairs.value, pair];
    void router.replace({ query: { ...route.query, widen: next.length === 0 ? 'off' : next.join(',') } });
  }

  /** Searches for what was typed, letter by letter. */
  function refuse(): void {
    void router.replace({ query: { ...route.query, exact: '1' } });
  }

  return {
    reading,
    corrected,
    /** The line that is searched for. */
    line: computed(() => corrected.value ?? typed.value),
    also: computed(() => (reading.value ? pairs.value.join(',') : '')),
    related,
    turn,
    refuse,
  };
}
