import { eq, sql } from 'drizzle-orm';
import { z } from 'zod';
import type { AppContext } from '../app-context.ts';
import { copies, sounds } from '../db/schema.ts';
import type { Fence } from '../jobs/fence.ts';
import { refreshSearch } from '../records/search-conditions.ts';
import { takePlace } from './known-place.ts';
import { setState, type JournalRow } from './journal-items.ts';
import { performMove, settleInterruptedMove, type RecordMove } from './shelving.ts';

/** When the sound was filed, where the file was the last one that holds it. */
const beforeSchema = z.object({ filedAt: z.iso.datetime().optional() });

/** Moves the file of an item into the folder of its drive for files that are set aside, or back. Journaled before and after. */
export function performSettingAside(
  app: AppContext,
  item: JournalRow,
  direction: 'do' | 'undo',
  fence: Fence,
): Promise<void> {
  return performMove(app, item, { direction, fence, record });
}

/** Settles a setting aside that was under way when the server stopped. */
export function settleInterruptedSettingAside(app: AppContext, item: JournalRow): Promise<void> {
  return settleInterruptedMove(app, item, record);
}

/** The copy leaves every list, and its sound the catalogue where no other file holds it; or both come back. */
const record: RecordMove = (app, item, copy, { folder, name }, state) =>
  app.db.transaction(async (tx) => {
    const soundIds = await takePlace(tx, copy, { ...copy, folder, name });
    const isOut = state === 'done';
    await tx
      .update(copies)
      .set({ folder, name, gone: isOut, clearedAt: isOut ? sql`now()` : null })
      .where(eq(copies.id, copy.id));
    let before = item.before;
    if (isOut) {
      const [sound] = await tx.select().from(sounds).where(eq(sounds.id, copy.soundId));
      const others = await tx.$count(copies, sql`${copies.soundId} = ${copy.soundId} and not ${copies.gone}`);
      if (others === 0 && sound?.filedAt) {
        before = { ...before, filedAt: sound.filedAt.toISOString() };
        await tx.update(sounds).set({ filedAt: null }).where(eq(sounds.id, copy.soundId));
      }
    } else {
      const { filedAt } = beforeSchema.parse(item.before);
      if (filedAt !== undefined)
        await tx
          .update(sounds)
          .set({ filedAt: new Date(filedAt) })
          .where(sql`${sounds.id} = ${copy.soundId} and ${sounds.filedAt} is null`);
    }
    await refreshSearch(tx, soundIds);
    await setState(tx, item, state, { before });
  });
