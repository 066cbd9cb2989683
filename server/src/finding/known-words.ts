import { setTimeout } from 'node:timers/promises';
import { editDistance } from '@flagstone/core/text/edit-distance';
import { sql, type SQL } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import type { Queryable } from '../db/connect.ts';
import type { Sight } from '../rights/rights.ts';
import { copyIsSeen, setIsSeen } from '../rights/seen.ts';

/** Time to live of the word list, as a multiple of what gathering it took. */
const REST_FACTOR = 20;
/** Gathering that takes less, in milliseconds, is done on each use: in small catalogues the list is never stale. */
const QUICK = 300;

interface Gathering {
  under: Promise<void> | undefined;
  until: number;
}
const gatherings = new WeakMap<AppContext, Gathering>();

/**
 * Sees to it that `known_words` has the words of the collection: waits where that is quick or where there are none yet, else has it done in the background.
 */
export async function gatherKnownWords(app: AppContext): Promise<void> {
  const state = gatherings.get(app) ?? { under: undefined, until: 0 };
  gatherings.set(app, state);
  if (state.under === undefined && performance.now() >= state.until) {
    const started = performance.now();
    state.under = gather(app.db)
      .finally(() => {
        const took = performance.now() - started;
        state.until = took < QUICK ? 0 : performance.now() + took * REST_FACTOR;
        state.under = undefined;
      })
      .catch((error: unknown) => app.log.error({ err: error }, 'the words of the collection could not be gathered'));
  }
  const { rows } = await app.db.execute<{ none: boolean }>(sql`select not exists (select from known_words) as none`);
  if (!state.under) return;
  // Gathering takes a quarter of a minute at a million sounds: serve the stale list and refresh it in the background.
  await (rows[0]?.none ? state.under : Promise.race([state.under, setTimeout(QUICK)]));
}

/** At most one refresh at a time; concurrent callers share it. */
async function gather(db: AppContext['db']): Promise<void> {
  await db.transaction(async (tx) => {
    const { rows } = await tx.execute<{ mine: boolean }>(
      sql`select pg_try_advisory_xact_lock(hashtext('flagstone known words')) as mine`,
    );
    if (!rows[0]?.mine) return;
    // Of sounds with copies in several collections the words of paths are left out: not everybody sees all of them.
    await tx.execute(sql`
      create temporary table gathered on commit drop as
      select s.id as collection_set, w.word, w.ndoc as sounds from collection_sets s
      cross join lateral ts_stat(format('select %s from search_rows where filed and collection_set = %s',
        case when cardinality(s.collection_ids) > 1 then 'ts_filter(search, ''{a,b,c}'')' else 'search' end, s.id)) w
      where w.word ~ '^[[:alpha:]'']{3,30}$'`);
    await tx.execute(sql`
      delete from known_words k where not exists (
        select from gathered g where g.word = k.word and g.collection_set = k.collection_set)`);
    await tx.execute(sql`
      insert into known_words (collection_set, word, sounds) select collection_set, word, sounds from gathered
      on conflict (word, collection_set) do update set sounds = excluded.sounds where known_words.sounds <> excluded.sounds`);
  });
}

/** Words `w` of sounds that somebody sees. */
const isSeen = (sight: Sight): SQL => setIsSeen(sight, sql`w.collection_set`);

/** How many sounds have each of these words or phrases (of a phrase: of its rarest word); words with none are left out. */
export async function soundsWith(db: Queryable, words: readonly string[], sight: Sight): Promise<Map<string, number>> {
  if (words.length === 0) return new Map();
  const { rows } = await db.execute<{ given: string; sounds: number }>(sql`
    select w.given, min(coalesce(k.sounds, 0)) as sounds from jsonb_array_elements_text(${JSON.stringify(words)}::jsonb) w(given)
    cross join lateral unnest(to_tsvector('pg_catalog.english', flagstone_unaccent(w.given))) l
    left join lateral (select sum(w.sounds)::int as sounds from known_words w where w.word = l.lexeme and ${isSeen(sight)}) k on true group by w.given having min(coalesce(k.sounds, 0)) > 0`);
  return new Map(rows.map(({ given, sounds }) => [given, sounds]));
}

/** Whether some word of the collection begins so. */
export async function beginsAWord(db: Queryable, begun: string, sight: Sight): Promise<boolean> {
  const { rows } = await db.execute<{ some: boolean }>(
    sql`select exists (
      select from known_words w where starts_with(word, flagstone_unaccent(${begun.toLowerCase()})) and ${isSeen(sight)}) as some`,
  );
  return rows[0]?.some === true;
}

/** Letters that may be wrong in a word of so many. */
const slipsIn = (word: string): number => (word.length < 5 ? 1 : 2);

/** The word of the collection that a misspelt one most probably is, as it is written in one of its records; undefined when none is near. */
export async function nearestWord(db: AppContext['db'], word: string, sight: Sight): Promise<string | undefined> {
  const rows = await db.transaction(async (tx) => {
    // Two letters that changed places leave little in common in a short word.
    await tx.execute(sql`set local pg_trgm.similarity_threshold = 0.2`);
    return likeWord(tx, word, sight);
  });
  const near = rows
    .map((row) => ({ ...row, distance: editDistance(row.stem, row.word, 2) }))
    .filter(({ distance }) => distance <= slipsIn(word))
    // A first letter is seldom wrong.
    .sort((a, b) => cost(a) - cost(b) || b.sounds - a.sounds);
  const [best] = near;
  return best && ((await asWritten(db, best.word, sight)) ?? best.word);
}

interface LikeWord extends Record<string, unknown> {
  word: string;
  sounds: number;
  stem: string;
}

/** Words of the collection that have trigrams in common with a word or its stem, the most alike first. */
async function likeWord(db: Queryable, word: string, sight: Sight): Promise<LikeWord[]> {
  const { rows } = await db.execute<LikeWord>(sql`
    with asked as (select flagstone_unaccent(${word.toLowerCase()}) as typed, coalesce((ts_lexize('english_stem', flagstone_unaccent(${word.toLowerCase()})))[1], '') as stem)
    select w.word, sum(w.sounds)::int as sounds, asked.stem from asked, known_words w
    where (w.word % asked.typed or w.word % asked.stem) and ${isSeen(sight)} group by w.word, asked.stem
    order by similarity(w.word, asked.stem) desc, 2 desc limit 100`);
  return rows;
}

function cost({ word, stem, distance }: { word: string; stem: string; distance: number }): number {
  return distance + (word[0] === stem[0] ? 0 : 1);
}

/** A stem as a whole word: the most frequent form in some of the records that have it. */
async function asWritten(db: Queryable, stem: string, sight: Sight): Promise<string | undefined> {
  const { rows } = await db.execute<{ word: string }>(sql`
    with picked as (select sound_id from search_rows f where f.filed and f.search @@ ${`'${stem.replaceAll("'", "''")}'`}::tsquery
      and ${setIsSeen(sight, sql`f.collection_set`)} limit 20),
    texts as (
      select flagstone_words(concat_ws(' ', r.fx_name, array_to_string(r.keywords, ' '), r.category, r.sub_category, r.description, c.name, c.folder)) as text
      from picked join records r on r.sound_id = picked.sound_id join copies c on c.sound_id = picked.sound_id and ${copyIsSeen(sight)}),
    words as (select lower(w) as word from texts, regexp_split_to_table(text, ' +') w where w <> '')
    select word from words where (ts_lexize('english_stem', word))[1] = ${stem} group by word order by count(*) desc, length(word) limit 1`);
  return rows[0]?.word;
}
