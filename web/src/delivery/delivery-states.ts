import type { Delivery, DeliveryItem } from '@flagstone/contract/deliveries';

/** How an item of a delivery stands: a shape and a word. */
export function stateOf({ state, isChanged }: Pick<DeliveryItem, 'state' | 'isChanged'>): {
  sign: string;
  word: string;
  kind: string;
} {
  if (state === 'planned')
    return isChanged
      ? { sign: '◆', word: 'changed since', kind: 'open' }
      : { sign: '◇', word: 'to make', kind: 'open' };
  return {
    done: { sign: '■', word: 'delivered', kind: 'done' },
    blocked: { sign: '✕', word: 'cannot go', kind: 'fault' },
    failed: { sign: '✕', word: 'failed', kind: 'fault' },
    left: { sign: '○', word: 'part before', kind: 'soft' },
  }[state];
}

/** How a delivery as a whole stands. */
export function standingOf({ plannedAt, counts }: Pick<Delivery, 'plannedAt' | 'counts'>): {
  sign: string;
  word: string;
  kind: string;
} {
  if (plannedAt === null) return { sign: '◆', word: 'to be laid out anew', kind: 'open' };
  const open = counts.new + counts.changed;
  if (counts.failed > 0) return { sign: '✕', word: `${counts.failed.toLocaleString('en')} failed`, kind: 'fault' };
  if (open > 0) return { sign: '◇', word: `${open.toLocaleString('en')} to make`, kind: 'open' };
  if (counts.blocked > 0) return { sign: '✕', word: `${counts.blocked.toLocaleString('en')} cannot go`, kind: 'fault' };
  return { sign: '■', word: 'delivered', kind: 'done' };
}

/** A row of a tree: a folder, or a file in one. */
export type TreeRow =
  { kind: 'folder'; path: string; depth: number } | { kind: 'file'; item: DeliveryItem; name: string; depth: number };

/** Items in the order of their paths as rows of a tree, each folder above what it holds. */
export function treeRows(items: readonly DeliveryItem[]): TreeRow[] {
  const rows: TreeRow[] = [];
  const met = new Set<string>();
  for (const item of items) {
    const parts = item.path.split('/');
    const name = parts.pop() ?? '';
    for (const depth of parts.keys()) {
      const path = parts.slice(0, depth + 1).join('/');
      if (!met.has(path)) rows.push({ kind: 'folder', path, depth });
      met.add(path);
    }
    rows.push({ kind: 'file', item, name, depth: parts.length });
  }
  return rows;
}
