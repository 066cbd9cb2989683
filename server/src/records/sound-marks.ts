import { AppError } from '@flagstone/core/errors';
import type { MarkInput } from '@flagstone/contract/marks';
import { sql } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import type { SeenSelection } from '../rights/seen.ts';
import { acts } from '../db/acts-schema.ts';
import { MARK_AS_JSON, oneMarkerAtATime } from './acts.ts';
import { idList } from '../db/sql-parts.ts';
import { selectedRows } from './sound-rows.ts';

/** Notes what a person thinks of the sounds of a selection, and returns how many there are. Throws NOTHING_SELECTED. */
export async function markSounds(
  app: AppContext,
  { selection, ...mark }: MarkInput & { selection: SeenSelection },
  personId: number,
): Promise<{ sounds: number }> {
  const marked = new Set<number>();
  await app.db.transaction(async (tx) => {
    await oneMarkerAtATime(tx, personId);
    const summary = inWords(mark);
    const [act] = await tx.insert(acts).values({ personId, kind: 'marks', summary }).returning({ id: acts.id });
    if (!act) throw new AppError('INTERNAL', 'The act could not be recorded.');
    for await (const page of selectedRows(tx, selection)) {
      const ids = [...new Set(page.map(({ soundId }) => soundId))]
        .filter((id) => !marked.has(id))
        .sort((a, b) => a - b);
      for (const id of ids) marked.add(id);
      if (ids.length === 0) continue;
      const now = sql`unnest(${idList(ids)}) i(id) left join sound_marks m on m.sound_id = i.id and m.person_id = ${personId}`;
      await tx.execute(
        sql`insert into act_marks (act_id, sound_id, before) select ${act.id}::bigint, i.id, ${MARK_AS_JSON} from ${now}`,
      );
      const rating = mark.rating === undefined ? sql`k.rating` : sql`${mark.rating}::smallint`;
      const favourite =
        mark.favourite === undefined ? sql`coalesce(k.favourite, false)` : sql`${mark.favourite}::boolean`;
      const note = mark.note === undefined ? sql`coalesce(k.note, '')` : sql`${mark.note}::text`;
      const tags = sql`array(select distinct tag from unnest(coalesce(k.tags, '{}') || ${textList(mark.addTags)}) tag
        where tag <> all(${textList(mark.removeTags)}) order by 1)`;
      await tx.execute(sql`
        insert into sound_marks (person_id, sound_id, rating, favourite, tags, note)
        select ${personId}::int, i.id, ${rating}, ${favourite}, ${tags}, ${note} from unnest(${idList(ids)}) i(id)
        left join sound_marks k on k.sound_id = i.id and k.person_id = ${personId}
        on conflict (person_id, sound_id) do update set rating = excluded.rating, favourite = excluded.favourite, tags = excluded.tags,
          note = excluded.note, changed_at = now()`);
      await tx.execute(sql`
        update act_marks a set after = n.mark from (select i.id, ${MARK_AS_JSON} as mark from ${now}) n
        where a.act_id = ${act.id} and a.sound_id = n.id`);
    }
    await tx.execute(sql`delete from act_marks where act_id = ${act.id} and before is not distinct from after`);
    // What was so already is nothing to take back.
    await tx.execute(
      sql`delete from acts where id = ${act.id} and not exists (select from act_marks where act_id = ${act.id})`,
    );
  });
  if (marked.size === 0) throw new AppError('NOTHING_SELECTED', 'The selection holds no rows.');
  await app.live.publish(app.db, { type: 'records', soundIds: [...marked] });
  return { sounds: marked.size };
}

/** What a mark says, for the word on taking it back. */
function inWords({ rating, favourite, addTags, removeTags, note }: Omit<MarkInput, 'selection'>): string {
  if (rating !== undefined) return rating === null ? 'Rating taken away' : `Rated ${rating} of 5`;
  if (favourite !== undefined) return favourite ? 'Favourite' : 'Favourite no more';
  if (addTags?.length) return `Tagged ${addTags.join(', ')}`;
  if (removeTags?.length) return `Tag ${removeTags.join(', ')} taken away`;
  return note === undefined ? 'Marked' : 'Note';
}

/** Texts as one bound array. */
function textList(texts: readonly string[] = []) {
  return sql`array(select jsonb_array_elements_text(${JSON.stringify(texts)}::jsonb))`;
}
