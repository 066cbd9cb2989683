/** A CatID that a list does not have. */
export interface CategoryMoveRow {
  catId: string;
  /** What it stood for, where that is known. */
  names?: string;
  records: number;
  likely: string | null;
  /** How the likeliest one is known. */
  why?: string;
}

/** Where the records of each CatID go; empty while nobody has said it. */
export type CategoryMoves = Record<string, string>;

/** The moves with the likeliest category wherever nobody has said another. */
export function withLikely(moves: CategoryMoves, rows: readonly CategoryMoveRow[]): CategoryMoves {
  return Object.fromEntries(rows.map(({ catId, likely }) => [catId, moves[catId] || (likely ?? '')]));
}

/** Those that somebody has said. */
export function saidMoves(moves: CategoryMoves): CategoryMoves {
  return Object.fromEntries(Object.entries(moves).filter(([, to]) => to !== ''));
}
