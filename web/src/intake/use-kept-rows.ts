import { onScopeDispose, watch, type Ref } from 'vue';
import type { Server } from '../ui/server.ts';

/** More rows than that are chosen by a rule, not one by one. */
const MOST_ROWS = 2000;
const MOST_BATCHES = 30;

/** What somebody was at in a batch. */
interface KeptRows {
  batchId: number;
  copyIds: number[];
  everything: boolean;
  /** The row that was the current one. */
  currentId: number | null;
}

/** What it needs of a list. */
interface RowsOf {
  selectedIds: Ref<ReadonlySet<number>>;
  everything: Ref<boolean>;
  currentRow: Ref<{ copyId: number } | undefined>;
  restart: (keepId?: number) => Promise<void>;
  take: (copyIds: readonly number[] | 'all') => void;
}

/**
 * Keeps in this browser, for each person, which rows of a batch were selected and which one was the current one, and takes them up again days later: those that are still in the batch. Returns when the list is
 * there.
 */
export async function useKeptRows(
  batchId: number,
  personId: number,
  list: RowsOf,
  server: Server,
  storage: Pick<Storage, 'getItem' | 'setItem'> = localStorage,
): Promise<void> {
  const key = `flagstone.batchRows.${personId}`;
  const all = readKept(storage.getItem(key));
  const kept = all.find((each) => each.batchId === batchId);
  let isOver = false;
  onScopeDispose(() => (isOver = true));

  const keep = (): void => {
    const copyIds = [...list.selectedIds.value];
    const now: KeptRows = {
      batchId,
      copyIds: copyIds.length > MOST_ROWS ? [] : copyIds,
      everything: list.everything.value,
      currentId: list.currentRow.value?.copyId ?? null,
    };
    // Read again: the same person may have another batch open in another window.
    const others = readKept(storage.getItem(key)).filter((each) => each.batchId !== batchId);
    storage.setItem(key, JSON.stringify([now, ...others].slice(0, MOST_BATCHES)));
  };
  const begin = (): void => void watch([list.selectedIds, list.everything, () => list.currentRow.value?.copyId], keep);

  await list.restart(kept?.currentId ?? undefined);
  // Whoever has chosen something meanwhile goes on with that.
  if (kept && !isOver && list.selectedIds.value.size === 0 && !list.everything.value) {
    if (kept.everything) list.take('all');
    else if (kept.copyIds.length > 0) {
      const { copyIds } = kept;
      const still = await server.attempt(() =>
        server.call('findBatchRows', { params: { id: batchId }, body: { copyIds } }),
      );
      if (still && !isOver && list.selectedIds.value.size === 0) list.take(still.copyIds);
    }
  }
  if (!isOver) begin();
}

/** What is kept; nothing where it is not as it was written, by another version or by hand. */
function readKept(text: string | null): KeptRows[] {
  try {
    const value: unknown = JSON.parse(text ?? '[]');
    return Array.isArray(value) ? value.filter(isKept) : [];
  } catch {
    return [];
  }
}

function isKept(value: unknown): value is KeptRows {
  if (typeof value !== 'object' || value === null) return false;
  const { batchId, copyIds, everything, currentId } = value as Partial<Record<keyof KeptRows, unknown>>;
  return (
    Number.isSafeInteger(batchId) &&
    Array.isArray(copyIds) &&
    copyIds.length <= MOST_ROWS &&
    copyIds.every(Number.isSafeInteger) &&
    typeof everything === 'boolean' &&
    (currentId === null || Number.isSafeInteger(currentId))
  );
}
