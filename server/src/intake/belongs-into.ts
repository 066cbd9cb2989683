import { sql, type SQL } from 'drizzle-orm';

/**
 * Whether a copy `c` that is met by a reading belongs into the batch of that reading: not one that somebody moved to another batch that is still open, nor one whose sound was taken out of the catalogue.
 */
export function belongsInto(batchId: number): SQL {
  return sql`not exists (select from batch_items m join batches o on o.id = m.batch_id
      where m.copy_id = c.id and m.is_moved and m.batch_id <> ${batchId} and o.filed_at is null)
    and not exists (select from removed_sounds x join removals y on y.id = x.removal_id where x.sound_id = c.sound_id and y.undone_at is null)`;
}
