import { computed, shallowRef, watch, type ComputedRef } from 'vue';
import { showingErrors } from './use-errors.ts';

/**
 * What the server answers about a subject, asked again whenever the subject changes or something else that the answer depends on. There is none until it has answered about
 * the subject of now: what was said of the one before is neither shown nor acted on, and nobody reads "nothing" while nothing is known.
 */
export function useAnswer<Subject extends string | number, Answer>(
  subject: () => Subject,
  ask: (subject: Subject) => Promise<Answer>,
  {
    dependsOn,
    attempt = showingErrors,
  }: {
    /** What else makes it out of date; the answer of before stays until the new one has come. */
    dependsOn?: () => unknown;
    attempt?: typeof showingErrors;
  } = {},
): { answer: ComputedRef<Answer | undefined>; load: () => Promise<void> } {
  const last = shallowRef<{ subject: Subject; answer: Answer }>();
  let asked = 0;

  async function load(): Promise<void> {
    const about = subject();
    const number = ++asked;
    // Of two questions the later one counts, whichever is answered first.
    await attempt(async () => {
      const answer = await ask(about);
      if (number === asked) last.value = { subject: about, answer };
    });
  }
  watch([subject, () => dependsOn?.()], load, { immediate: true });

  return { answer: computed(() => (last.value?.subject === subject() ? last.value.answer : undefined)), load };
}
