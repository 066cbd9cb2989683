import type { Database } from '@flagstone/server/db/connect';
import { sql } from 'drizzle-orm';

const CATEGORIES = ['WATER', 'DOORS', 'BIRDS', 'CERAMICS', 'WOOD', 'WIND', 'MACHINES', 'BOATS'];
const STEP = 100_000;

/** Puts made-up sounds with records, copies and analyses into the catalogue, on a drive that is away. */
export async function fillCatalogue(db: Database, count: number): Promise<void> {
  const { rows } = await db.execute<{ id: string }>(
    sql`insert into drives (name, identity, root_path) values ('Made up', 'marker:made-up', '/nowhere') returning id`,
  );
  const driveId = rows[0]?.id;
  for (let from = 0; from < count; from += STEP) {
    const to = Math.min(count, from + STEP);
    const made = sql`generate_series(${from + 1}::int, ${to}::int) n`;
    await db.execute(sql`
      insert into sounds (id, quick_digest, full_digest, digest_version, codec, sample_format, sample_rate_hz, bit_depth, channels, frames, duration_seconds, added_by, filed_at)
      select n, md5(n::text), md5(n::text), 1, 'PCM', 'integer', 48000, 24, 1 + n % 2, n, (n % 3000) / 10.0, 1, now() from ${made}`);
    await db.execute(sql`
      insert into records (sound_id, fx_name, description, cat_id, category)
      select n, 'Made sound ' || n, 'A sound of the benchmark, number ' || n, 'CAT' || n % 700, (${`{${CATEGORIES.join(',')}}`}::text[])[1 + n % 8]
      from ${made}`);
    await db.execute(sql`
      insert into copies (sound_id, drive_id, folder, name, size_bytes, mtime_ms, inode, container, carries_revision, in_file, issues, full_digest)
      select n, ${driveId}::uuid, 'shelf ' || n / 500, 'made ' || n || '.wav', 1000000 + n, n, n::text, 'WAV', 1, '{}', '[]', md5(n::text) from ${made}`);
    await db.execute(sql`
      insert into analyses (sound_id, version, measures, loudness_lufs, true_peak_dbtp, channel_layout, form)
      select n, 1, '{}', -10 - n % 50, -1 - n % 20, 'mono', 'single' from ${made}`);
    await db.execute(sql`select flagstone_refresh_search(array_agg(n::bigint)) from ${made}`);
  }
  await db.execute(sql`select setval('sounds_id_seq', ${count})`);
  await db.execute(sql`analyze`);
}
