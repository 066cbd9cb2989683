import { type ColumnLayout, columnLayoutSchema, type NamedLayout } from '@flagstone/contract/layouts';
import { useLocalStorage } from '@vueuse/core';
import { defineStore } from 'pinia';
import { computed, ref } from 'vue';
import { call } from '../api/client.ts';
import { COLUMNS, HIDDEN_AT_FIRST, type Column } from './columns.ts';
import { useLive } from '../stores/live.ts';
import { showingErrors, tell } from '../ui/use-errors.ts';

const FIRST: ColumnLayout = {
  columns: COLUMNS.filter(({ key }) => !HIDDEN_AT_FIRST.includes(key)).map(({ key, width }) => ({ key, width })),
  density: 'dense',
};
const NARROWEST = 40;
const WIDEST = 900;

/** Which columns the table of sounds shows, in which order and how wide, and the layouts that the person keeps under names. */
export const useColumns = defineStore('columns', () => {
  const kept = useLocalStorage<unknown>('flagstone.columns', FIRST);
  const layout = computed<ColumnLayout>({
    get: () => columnLayoutSchema.safeParse(kept.value).data ?? FIRST,
    set: (next) => (kept.value = next),
  });
  const named = ref<NamedLayout[]>([]);

  /** The columns that are shown. The name, which stays when the table is scrolled, is always the first. */
  const shown = computed<Column[]>(() => {
    const chosen = layout.value.columns.flatMap(({ key, width }) => {
      const column = COLUMNS.find((each) => each.key === key);
      return column ? [{ ...column, width }] : [];
    });
    const name = chosen.find(({ key }) => key === 'name') ?? COLUMNS[0];
    return name ? [name, ...chosen.filter(({ key }) => key !== 'name')] : chosen;
  });

  function set(columns: readonly { key: string; width: number }[]): void {
    layout.value = { ...layout.value, columns: columns.map(({ key, width }) => ({ key, width })) };
  }

  function turn(key: string): void {
    const column = COLUMNS.find((each) => each.key === key);
    if (!column || key === 'name') return;
    const isShown = shown.value.some((each) => each.key === key);
    set(isShown ? shown.value.filter((each) => each.key !== key) : [...shown.value, column]);
  }

  /** Moves a column by so many places; never before the name. */
  function move(key: string, by: number): void {
    const from = shown.value.findIndex((each) => each.key === key);
    moveTo(key, from + by);
  }

  function moveTo(key: string, place: number): void {
    const from = shown.value.findIndex((each) => each.key === key);
    const column = shown.value[from];
    if (!column || from < 1 || place < 1 || place >= shown.value.length) return;
    const rest = shown.value.filter((_, index) => index !== from);
    set([...rest.slice(0, place), column, ...rest.slice(place)]);
  }

  function resize(key: string, width: number): void {
    const fitting = Math.round(Math.max(NARROWEST, Math.min(WIDEST, width)));
    set(shown.value.map((each) => (each.key === key ? { ...each, width: fitting } : each)));
  }

  let isAsked = false;
  async function load(): Promise<void> {
    isAsked = true;
    await showingErrors(async () => {
      named.value = await call('listLayouts');
    });
  }

  useLive().onAnything(() => void (isAsked && load()));

  async function save(name: string): Promise<void> {
    await showingErrors(async () => {
      named.value = await call('saveLayout', { body: { name, layout: layout.value } });
      tell(`Columns kept as “${name}”`, 'v goes from one layout to the next.');
    });
  }

  async function remove(id: number): Promise<void> {
    await showingErrors(async () => {
      named.value = await call('removeLayout', { params: { id } });
    });
  }

  function apply(id: number): void {
    const found = named.value.find((each) => each.id === id);
    if (found) layout.value = found.layout;
  }

  /** The layout after the one that is shown, and from the last one to the first. */
  function applyNext(): void {
    const at = named.value.findIndex((each) => JSON.stringify(each.layout) === JSON.stringify(layout.value));
    const next = named.value[(at + 1) % named.value.length];
    if (!next) return void tell('No layout of columns is kept yet', 'Choose columns, then keep them under a name.');
    layout.value = next.layout;
    tell(`Columns: ${next.name}`);
  }

  return {
    layout,
    shown,
    named,
    turn,
    move,
    moveTo,
    resize,
    load,
    save,
    remove,
    apply,
    applyNext,
    reset: () => (layout.value = FIRST),
    setDensity: (density: ColumnLayout['density']) => (layout.value = { ...layout.value, density }),
  };
});
