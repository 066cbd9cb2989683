import { AppError } from '@flagstone/core/errors';
import type { FieldName, SoundRecord } from '@flagstone/core/record/fields';
import { wordsToLearn, type Learned } from '@flagstone/core/suggest/learned';
import { eq, sql, type SQL } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import type { Queryable, Transaction } from '../db/connect.ts';
import { collections, learnedWords } from '../db/schema.ts';
import { idList } from '../db/sql-parts.ts';

/** A record whose CatID may have changed. */
interface Decided {
  row: SoundRecord & { soundId: number };
  after: SoundRecord;
  fields: readonly FieldName[];
}

/**
 * Counts what people decided: each word of the names of a sound that was given a category counts for it, in the collection of its copies; what
 * is taken back is counted down.
 */
export async function learnFrom(tx: Transaction, changed: readonly Decided[]): Promise<void> {
  const decided = new Map(
    changed.filter(({ fields }) => fields.includes('catId')).map((each) => [each.row.soundId, each] as const),
  );
  if (decided.size === 0) return;
  const { rows } = await tx.execute<{ sound_id: number; folder: string; name: string; collection_id: number }>(sql`
    select distinct on (c.sound_id) c.sound_id, c.folder, c.name, f.collection_id from copies c
    join folders f on f.id = c.read_folder_id where c.sound_id = any(${idList([...decided.keys()])}) order by c.sound_id, c.gone, c.id`);
  const deltas = new Map<string, { collection_id: number; word: string; cat_id: string; times: number }>();
  const count = (collectionId: number, word: string, catId: string, times: number): void => {
    if (catId === '') return;
    const key = JSON.stringify([collectionId, word, catId]);
    const entry = deltas.get(key) ?? { collection_id: collectionId, word, cat_id: catId, times: 0 };
    entry.times += times;
    deltas.set(key, entry);
  };
  for (const { sound_id: soundId, folder, name, collection_id: collectionId } of rows) {
    const each = decided.get(soundId);
    if (!each) continue;
    for (const word of wordsToLearn(folder, name)) {
      count(collectionId, word, each.row.catId, -1);
      count(collectionId, word, each.after.catId, 1);
    }
  }
  // In the order of their keys, so that two people who decide at once cannot deadlock.
  const sorted = [...deltas].filter(([, { times }]) => times !== 0).sort(([one], [other]) => (one < other ? -1 : 1));
  if (sorted.length === 0) return;
  const counted = (isWanted: (times: number) => boolean): SQL => {
    const entries = sorted.map(([, entry]) => entry).filter(({ times }) => isWanted(times));
    return sql`jsonb_to_recordset(${JSON.stringify(entries)}::jsonb) as n(collection_id int, word text, cat_id text, times int)`;
  };
  await tx.execute(sql`
    insert into learned_words (collection_id, word, cat_id, times)
    select n.collection_id, n.word, n.cat_id, n.times from ${counted((times) => times > 0)}
    on conflict (collection_id, word, cat_id) do update set times = learned_words.times + excluded.times`);
  await tx.execute(sql`
    update learned_words l set times = greatest(0, l.times + n.times) from ${counted((times) => times < 0)}
    where l.collection_id = n.collection_id and l.word = n.word and l.cat_id = n.cat_id`);
}

/** What was learned of words, by collection. */
export async function learnedOf(
  db: Queryable,
  collectionIds: readonly number[],
  words: ReadonlySet<string>,
): Promise<Map<number, Learned>> {
  if (collectionIds.length === 0 || words.size === 0) return new Map();
  const { rows } = await db.execute<{ collection_id: number; word: string; cat_id: string; times: number }>(sql`
    select collection_id, word, cat_id, times from learned_words
    where collection_id = any(${idList(collectionIds)}) and word = any(${sql.param([...words])}::text[]) and times > 0`);
  const learned = new Map<number, Map<string, Map<string, number>>>();
  for (const row of rows) {
    const byWord = learned.get(row.collection_id) ?? new Map<string, Map<string, number>>();
    const counts = byWord.get(row.word) ?? new Map<string, number>();
    byWord.set(row.word, counts.set(row.cat_id, row.times));
    learned.set(row.collection_id, byWord);
  }
  return learned;
}

const SHOWN = 200;

/** What a collection has learned, the most decided first. */
export async function listLearned(app: AppContext, collectionId: number) {
  const { rows } = await app.db.execute<{ word: string; cat_id: string; times: number; words: number }>(sql`
    select word, cat_id, times, count(*) over () as words from learned_words where collection_id = ${collectionId} and times > 0
    order by times desc, word, cat_id limit ${SHOWN}`);
  return {
    total: rows[0]?.words ?? 0,
    entries: rows.map(({ word, cat_id: catId, times }) => ({ word, catId, times })),
  };
}

/** Forgets what a collection has learned, of one word or of all. Throws NOT_FOUND. */
export async function forgetLearned(app: AppContext, collectionId: number, word: string | undefined): Promise<void> {
  const [known] = await app.db.select().from(collections).where(eq(collections.id, collectionId));
  if (!known) throw new AppError('NOT_FOUND', 'There is no such collection.');
  await app.db
    .delete(learnedWords)
    .where(
      sql`${learnedWords.collectionId} = ${collectionId} and ${word === undefined ? sql`true` : sql`${learnedWords.word} = ${word}`}`,
    );
}
