import type { Remark } from '@flagstone/contract/remarks';
import { mentionsIn, type Mention } from '@flagstone/core/remarks/mentions';
import { computed, onScopeDispose, reactive, ref, shallowRef, watch } from 'vue';
import type { Server } from '../ui/server.ts';

/** What was typed and not said yet, by sound: whoever goes on through a list finds it again when they come back. */
const drafts = reactive(new Map<number, string>());

/** The remarks on a sound, kept up to date while others say more, with what is being typed. */
export function useRemarks(
  soundId: () => number,
  server: Server,
  events: { onRecords: (heard: (ids: ReadonlySet<number>, onlyMeasured: boolean) => void) => () => void },
) {
  const shown = shallowRef<{ soundId: number; remarks: readonly Remark[]; next: number | null }>();
  /** None before they have come, nor those of another sound. */
  const remarks = computed(() => (shown.value?.soundId === soundId() ? shown.value.remarks : undefined));
  const hasEarlier = computed(() => remarks.value !== undefined && shown.value?.next !== null);
  const isBusy = ref(false);
  let asked = 0;

  const draft = computed({
    get: () => drafts.get(soundId()) ?? '',
    set: (text) => void (text === '' ? drafts.delete(soundId()) : drafts.set(soundId(), text)),
  });

  async function ask(before?: number): Promise<void> {
    const about = soundId();
    const number = ++asked;
    const query = before === undefined ? {} : { before };
    const page = await server.attempt(() => server.call('listRemarks', { params: { id: about }, query }));
    if (!page || number !== asked || about !== soundId()) return;
    const newer = before === undefined ? [] : (remarks.value ?? []);
    shown.value = { soundId: about, remarks: [...newer, ...page.remarks], next: page.next };
  }
  const load = (): Promise<void> => ask();
  const earlier = (): Promise<void> => ask(remarks.value?.at(-1)?.id);

  /** Says what was typed. It stays typed when it could not be said. */
  async function say(): Promise<void> {
    const about = soundId();
    const text = draft.value.trim();
    if (text === '' || isBusy.value) return;
    isBusy.value = true;
    const said = await server.attempt(() => server.call('addRemark', { params: { id: about }, body: { text } }));
    isBusy.value = false;
    if (!said) return;
    // What was typed on meanwhile is another remark.
    const now = drafts.get(about) ?? '';
    const rest = now.trimStart().startsWith(text) ? now.trimStart().slice(text.length).trimStart() : now;
    if (rest === '') drafts.delete(about);
    else drafts.set(about, rest);
    if (said.unseen.length > 0)
      server.tell(`${said.unseen.join(', ')} cannot see this sound`, 'The remark waits for them in vain.');
    await load();
  }

  async function act(work: () => Promise<unknown>): Promise<void> {
    if ((await server.attempt(work)) !== undefined) await load();
  }
  const remove = (id: number): Promise<void> => act(() => server.call('removeRemark', { params: { id } }));
  const settle = (id: number, isDone: boolean): Promise<void> =>
    act(() => server.call('settleRemark', { params: { id }, body: { isDone } }));

  watch(soundId, load, { immediate: true });
  onScopeDispose(
    events.onRecords((ids, onlyMeasured) => {
      if (!onlyMeasured && (ids.size === 0 || ids.has(soundId()))) void load();
    }),
  );

  return { remarks, hasEarlier, earlier, draft, say, isBusy, remove, settle };
}

/** A text in pieces: names that it mentions, and what stands between them. */
export function piecesOf(text: string, names: readonly string[]): { text: string; isName: boolean }[] {
  const pieces: { text: string; isName: boolean }[] = [];
  let from = 0;
  const add = (to: number, isName: boolean): void => {
    if (to > from) pieces.push({ text: text.slice(from, to), isName });
    from = to;
  };
  for (const { at, length } of mentionsIn(text, names)) {
    add(at, false);
    add(at + length, true);
  }
  add(text.length, false);
  return pieces;
}

/** Words after an `@` that are nobody's name, so that whoever types learns it before they rely on it; not one that is still typed. */
export function strangersIn(text: string, names: readonly string[]): string[] {
  const known = new Set(mentionsIn(text, names).map(({ at }: Mention) => at));
  const signs = [...text.matchAll(/(?<![\p{L}\p{N}])@(?=[\p{L}])(\S{1,40})/gu)];
  const isWhole = ({ index, 0: word }: RegExpExecArray): boolean => index + word.length < text.length;
  return signs.filter((sign) => isWhole(sign) && !known.has(sign.index)).map(([word]) => word);
}
