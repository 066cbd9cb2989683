import type { SoundRow } from '@flagstone/contract/record';
import {
  parseSlices,
  parseSyncPoints,
  slicesText,
  syncPointsText,
  type Slice,
  type SyncPoint,
} from '@flagstone/core/record/marks';
import { useDebounceFn } from '@vueuse/core';
import { computed, onBeforeUnmount, ref, shallowRef, watch, type Ref } from 'vue';
import { asOfRows, saveEdit } from '../lists/save-edit.ts';
import type { Span } from '../wave/wave-data.ts';

/** What is dragged is saved when it rests. */
const REST_MS = 350;

/**
 * The slices and sync points of a sound while somebody works on them: each change is an edit of the record, with its undo; slices that were found are
 * a proposal until they are kept. Where the record may only be looked at, they stay as they are.
 */
export function useMarks(row: Ref<SoundRow | undefined>, mayEdit: () => boolean) {
  const slices = shallowRef<Slice[]>([]);
  const syncPoints = shallowRef<SyncPoint[]>([]);
  const proposed = shallowRef<{ slices: Slice[]; syncPoints: SyncPoint[] }>();
  const chosen = ref(-1);
  const chosenPoint = ref(-1);
  /** What was changed here and is not in the record yet. */
  let unsaved = false;

  function takeOver(): void {
    if (unsaved || !row.value) return;
    slices.value = parseSlices(row.value.record.slices);
    syncPoints.value = parseSyncPoints(row.value.record.syncPoints);
  }
  watch(row, (now, before) => {
    if (now?.soundId !== before?.soundId) {
      unsaved = false;
      proposed.value = undefined;
      chosen.value = -1;
      chosenPoint.value = -1;
    }
    takeOver();
  });

  async function save(): Promise<void> {
    const current = row.value;
    if (!current || !unsaved) return;
    // Only what differs: what somebody else changed of the other is theirs.
    const all = { slices: slicesText(slices.value), syncPoints: syncPointsText(syncPoints.value) };
    const set = Object.fromEntries(
      Object.entries(all).filter(([name, text]) => text !== current.record[name as keyof typeof all]),
    );
    const selection = { kind: 'copies' as const, copyIds: [current.copyId] };
    const saved = await saveEdit({ selection, edit: { set }, asOf: asOfRows([current]) });
    // What could not be saved, or was put off, stays here and is saved with the next change.
    unsaved = saved === undefined;
  }
  const saveSoon = useDebounceFn(save, REST_MS);
  onBeforeUnmount(() => void save());

  /** Slices in their order; the one that is chosen stays chosen. */
  function setSlices(next: Slice[], keep?: Slice): void {
    if (!mayEdit()) return;
    slices.value = [...next].sort((a, b) => a.from - b.from || a.to - b.to);
    chosen.value = keep ? slices.value.indexOf(keep) : -1;
    unsaved = true;
    void saveSoon();
  }

  function setSyncPoints(next: SyncPoint[], keep?: SyncPoint): void {
    if (!mayEdit()) return;
    syncPoints.value = [...next].sort((a, b) => a.at - b.at);
    chosenPoint.value = keep ? syncPoints.value.indexOf(keep) : -1;
    unsaved = true;
    void saveSoon();
  }

  function addSlice({ from, to }: Span): void {
    const added = { from: Math.round(from), to: Math.round(to), name: '' };
    setSlices([...slices.value, added], added);
  }

  function changeSlice(index: number, change: Partial<Slice>): void {
    const before = slices.value[index];
    if (!before) return;
    const after = { ...before, ...change };
    if (after.to <= after.from) return;
    setSlices(
      slices.value.map((slice, at) => (at === index ? after : slice)),
      after,
    );
  }

  function removeSlice(index: number): void {
    setSlices(slices.value.filter((_, at) => at !== index));
  }

  /** Parts the slice that holds a frame there; false when none does. */
  function splitAt(frame: number): boolean {
    const at = Math.round(frame);
    const index = slices.value.findIndex(({ from, to }) => at > from && at < to);
    const slice = slices.value[index];
    if (!slice) return false;
    const [first, second] = [
      { ...slice, to: at },
      { ...slice, from: at, name: '' },
    ];
    setSlices([...slices.value.filter((each) => each !== slice), first, second], second);
    return true;
  }

  /** Makes one of a slice and the next one; false when there is no next one. */
  function joinWithNext(index: number): boolean {
    const [slice, next] = [slices.value[index], slices.value[index + 1]];
    if (!slice || !next) return false;
    const joined = { from: slice.from, to: Math.max(slice.to, next.to), name: slice.name || next.name };
    setSlices([...slices.value.filter((each) => each !== slice && each !== next), joined], joined);
    return true;
  }

  function addSyncPoint(frame: number): void {
    const added = { at: Math.round(frame), name: '' };
    if (!syncPoints.value.some(({ at }) => at === added.at)) setSyncPoints([...syncPoints.value, added], added);
  }

  function changeSyncPoint(index: number, change: Partial<SyncPoint>): void {
    const before = syncPoints.value[index];
    if (!before) return;
    const after = { ...before, ...change, at: Math.max(0, Math.round(change.at ?? before.at)) };
    setSyncPoints(
      syncPoints.value.map((point, at) => (at === index ? after : point)),
      after,
    );
  }

  function removeSyncPoint(index: number): void {
    setSyncPoints(syncPoints.value.filter((_, at) => at !== index));
  }

  /** Takes what was found into the record; with where each slice strikes when `withPoints`. */
  function keepProposed(withPoints: boolean): void {
    const found = proposed.value;
    if (!found || !mayEdit()) return;
    proposed.value = undefined;
    slices.value = found.slices;
    chosen.value = found.slices.length > 0 ? 0 : -1;
    if (withPoints) syncPoints.value = found.syncPoints;
    unsaved = true;
    void save();
  }

  const shownSlices = computed(() => proposed.value?.slices ?? slices.value);
  const shownPoints = computed(() => proposed.value?.syncPoints ?? syncPoints.value);

  return {
    slices,
    syncPoints,
    proposed,
    shownSlices,
    shownPoints,
    chosen,
    chosenPoint,
    save,
    addSlice,
    changeSlice,
    removeSlice,
    splitAt,
    joinWithNext,
    addSyncPoint,
    changeSyncPoint,
    removeSyncPoint,
    keepProposed,
  };
}

export type Marks = ReturnType<typeof useMarks>;
