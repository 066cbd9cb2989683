import { differingFields, sameValue, type SoundRecord } from '@flagstone/core/record/fields';
import type { Queryable } from '../db/connect.ts';
import { beginProposing, propose, soundsUnderReview, waitingOf } from './proposals.ts';

type Row = SoundRecord & { soundId: number; revision: number };

/** The part of a change that waits for review, page by page of its records. */
export class Proposing {
  private readonly tx: Queryable;
  private readonly personId: number;
  private readonly summary: string;
  private actId: number | undefined;
  private readonly concerned: number[] = [];

  constructor(tx: Queryable, { personId, summary }: { personId: number; summary: string }) {
    this.tx = tx;
    this.personId = personId;
    this.summary = summary;
  }

  /** The sounds of which something was proposed. */
  get soundIds(): readonly number[] {
    return this.concerned;
  }

  /** Proposes what records under review would become, on top of what the person proposed of them before. Returns which sounds those are; their rows are locked. */
  async take(rows: readonly Row[], next: (record: Row) => SoundRecord): Promise<Set<number>> {
    const ids = rows.map(({ soundId }) => soundId);
    const waits = await soundsUnderReview(this.tx, this.personId, ids);
    if (waits.size === 0) return waits;
    const before = await waitingOf(this.tx, this.personId, [...waits]);
    const proposed = rows
      .filter(({ soundId }) => waits.has(soundId))
      .map((row) => {
        const base = { ...row, ...before.get(row.soundId) };
        const after = next(base);
        const fields = differingFields(base, after).map((field) => ({
          field,
          before: row[field],
          value: after[field],
          isAsRecord: sameValue(after[field], row[field]),
        }));
        return { soundId: row.soundId, fields };
      })
      .filter(({ fields }) => fields.length > 0);
    if (proposed.length === 0) return waits;
    this.actId ??= await beginProposing(this.tx, this.personId, this.summary);
    await propose(this.tx, this.personId, this.actId, proposed);
    this.concerned.push(...proposed.map(({ soundId }) => soundId));
    return waits;
  }
}
