import type { ListFilter, Selection } from '@flagstone/contract/selection';
import { ref, shallowRef, watch, type Ref } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import type { useSoundList } from '../lists/use-sound-list.ts';
import { useRights } from '../stores/rights.ts';
import { call } from '../api/client.ts';
import type { PlanMaker } from '../plans/use-plan.ts';
import { counted } from '../ui/format.ts';
import type { NewPlan } from '@flagstone/contract/plans';
import { tell } from '../ui/use-errors.ts';

/** The plans that are made of a list. */
export type ListPlanKind = NewPlan['kind'] | 'shelve' | 'setAside' | 'delete';

/** What a plan of that kind is made of: some are asked for by their own requests. */
function makerOf(kind: ListPlanKind, selection: Selection): Selection | PlanMaker {
  if (kind === 'shelve') return { by: () => call('planShelving', { body: { selection } }) };
  if (kind === 'setAside' || kind === 'delete')
    return { by: () => call('planClearing', { body: { selection, way: kind } }) };
  return selection;
}

/**
 * What a librarian does with the files of a list of the catalogue: writing, renaming, restoring, settling what differs. It is about the selected rows, else about the whole list where
 * something narrows it, as that was when it was opened. A link from elsewhere opens one by `open=write`, `open=restore` or `open=settle` in the address.
 */
export function useListPlans(
  list: ReturnType<typeof useSoundList>,
  filter: Readonly<Ref<ListFilter>>,
  isNarrowed: Readonly<Ref<boolean>>,
) {
  const route = useRoute();
  const router = useRouter();
  const rights = useRights();
  const concerned = shallowRef<Selection>();
  const what = ref('');
  const kind = ref<ListPlanKind>('write');
  /** What a plan is made of: rows, or, of laying out, whoever makes it. */
  const planned = shallowRef<Selection | PlanMaker>();
  const planning = ref(false);
  const settling = ref(false);

  function takeConcerned(): boolean {
    const isChosen = list.selectedCount.value > 0;
    if (!isChosen && (!isNarrowed.value || list.total.value === 0)) {
      tell('Nothing is selected', 'Select rows (Ctrl+A for all), or narrow the list first.');
      return false;
    }
    concerned.value = isChosen ? list.selection.value : { kind: 'catalogue', filter: filter.value };
    what.value = isChosen
      ? counted(list.selectedCount.value, 'selected sound')
      : `the ${counted(list.total.value, 'sound')} of this list`;
    return true;
  }

  /** Opens a plan; false for somebody who makes none. */
  function plan(wanted: ListPlanKind): boolean {
    if (!rights.may('librarian')) return false;
    kind.value = wanted;
    if (!takeConcerned()) return true;
    const { value: selection } = concerned;
    planned.value = selection && makerOf(wanted, selection);
    planning.value = true;
    return true;
  }

  /** Opens the settling of what differs. */
  function settle(): void {
    if (rights.may('assistant') && takeConcerned()) settling.value = true;
  }

  /** Shows the row of a copy, with its card. */
  function show(copyId: number): void {
    const index = list.rows.value.findIndex((row) => row.copyId === copyId);
    if (index < 0) return;
    planning.value = false;
    settling.value = false;
    list.goTo(index);
  }

  watch(
    () => [route.query['open'], list.loading.value] as const,
    ([open, isLoading]) => {
      if (isLoading || (open !== 'write' && open !== 'settle' && open !== 'restore')) return;
      // Once: going back must not open it again.
      const { open: _, ...rest } = route.query;
      void router.replace({ query: rest });
      if (open === 'settle') settle();
      else plan(open);
    },
    { immediate: true },
  );

  return { concerned, planned, what, kind, planning, settling, plan, settle, show };
}
