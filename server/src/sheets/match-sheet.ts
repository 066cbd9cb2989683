import { readFingerprint, type Fingerprint } from '@flagstone/core/audio/fingerprint/fingerprint';
import { AppError } from '@flagstone/core/errors';
import { sql, type SQL } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import type { Queryable } from '../db/connect.ts';
import { idList } from '../db/sql-parts.ts';
import { findRecordings } from '../records/same-recordings.ts';
import type { Sight } from '../rights/rights.ts';
import { soundIsSeen } from '../rights/seen.ts';

/** Lines that are looked for in one statement. */
const PAGE = 500;
/** Lengths that differ by less are the same: headers round. */
const SAME_LENGTH_SECONDS = 0.05;

/**
 * Looks for the sounds of a sheet among those that somebody sees, line by line: by the digest of their audio, then by the fingerprint of the recording in it, then by
 * a name that a file has or had with the same length, rate and channels. What was looked for before stays, so that one that was cut short goes on where it was. `advance` is told of every page.
 */
export async function matchSheet(
  app: AppContext,
  sheetId: string,
  sight: Sight,
  advance: (lines: number) => Promise<void>,
): Promise<void> {
  for (;;) {
    const { rows } = await app.db.execute<{ line: number }>(sql`
      select line from sheet_items where sheet_id = ${sheetId}::uuid and match is null order by line limit ${PAGE}`);
    if (rows.length === 0) return;
    const lines = rows.map(({ line }) => line);
    await app.db.transaction(async (tx) => {
      await tx.execute(matched(sheetId, lines, sight, 'digest'));
      await matchByFingerprint(tx, sheetId, lines, sight);
      await tx.execute(matched(sheetId, lines, sight, 'facts'));
      await tx.execute(sql`
        update sheet_items set match = 'none' where sheet_id = ${sheetId}::uuid and line = any(${idList(lines)}) and match is null`);
    });
    await advance(lines.length);
  }
}

/** Notes what was found for lines without a match so far. One of several is none that could be taken, but how many there are is said. */
function matched(sheetId: string, lines: readonly number[], sight: Sight, by: 'digest' | 'facts'): SQL {
  return sql`
    with looked as (
      select i.line, count(distinct f.id) as candidates, min(f.id) as sound_id, bool_and(f.certain) as certain
      from sheet_items i cross join lateral (${by === 'digest' ? BY_DIGEST : BY_FACTS}) f
      where i.sheet_id = ${sheetId}::uuid and i.line = any(${idList(lines)}) and i.match is null and ${soundIsSeen(sight, sql`f.id`)} group by i.line)
    update sheet_items i set match = ${by}, candidates = l.candidates, certain = l.certain and l.candidates = 1,
      sound_id = case when l.candidates = 1 then l.sound_id end
    from looked l where i.sheet_id = ${sheetId}::uuid and i.line = l.line`;
}

/** Others are meant as well as the one most alike when they differ hardly more from what is looked for. */
const AS_ALIKE = (least: number): number => least * 1.5 + 0.03;

/** Notes for lines without a match so far the sounds that hold the same recording in another form. */
async function matchByFingerprint(
  db: Queryable,
  sheetId: string,
  lines: readonly number[],
  sight: Sight,
): Promise<void> {
  const { rows } = await db.execute<{ line: number; print: string }>(sql`
    select line, entry ->> 'fingerprint' as print from sheet_items
    where sheet_id = ${sheetId}::uuid and line = any(${idList(lines)}) and match is null and entry ? 'fingerprint'`);
  const asked = new Map(rows.flatMap(({ line, print }) => fingerprintIn(print).map((read) => [line, read] as const)));
  const found = await findRecordings(db, asked, soundIsSeen(sight, sql`f.sound_id`));
  const matches = [...found].map(([line, others]) => {
    const [best] = others;
    const meant = others.filter(({ difference }) => difference <= AS_ALIKE(best?.difference ?? 0));
    const isOne = meant.length === 1;
    return {
      line,
      candidates: meant.length,
      sound_id: isOne ? best?.soundId : null,
      certain: isOne && best?.isCertain,
    };
  });
  await db.execute(sql`
    update sheet_items i set match = 'fingerprint', candidates = m.candidates, certain = m.certain, sound_id = m.sound_id
    from jsonb_to_recordset(${JSON.stringify(matches)}::jsonb) m(line int, candidates int, sound_id bigint, certain boolean)
    where i.sheet_id = ${sheetId}::uuid and i.line = m.line`);
}

/** The fingerprint of a line; nothing for what this version cannot read. */
function fingerprintIn(text: string): Fingerprint[] {
  try {
    return [readFingerprint(Buffer.from(text, 'base64'))];
  } catch (error) {
    if (error instanceof AppError) return [];
    throw error;
  }
}

const SOUND = sql`(i.entry -> 'sound')`;

/** The same audio: by the digest of all of it, else by that of its sampled blocks where not both were read as a whole. */
const BY_DIGEST = sql`
  select s.id, true as certain from sounds s where s.full_digest = ${SOUND} ->> 'fullDigest' and s.digest_version = (${SOUND} ->> 'digestVersion')::int
  union
  select s.id, true from sounds s where s.quick_digest = ${SOUND} ->> 'quickDigest' and s.digest_version = (${SOUND} ->> 'digestVersion')::int
    and (s.full_digest is null or ${SOUND} ->> 'fullDigest' is null or s.full_digest = ${SOUND} ->> 'fullDigest')`;

const NAMES = sql`array(select lower(n) from jsonb_array_elements_text((i.entry -> 'names' -> 'now') || (i.entry -> 'names' -> 'then')) n)`;

/** A file that has, or had, one of the names, with the same length, rate and channels. */
const BY_FACTS = sql`
  select s.id, false as certain from (
    select c.sound_id from copies c where lower(c.name) = any(${NAMES}) and not c.gone
    union
    select c.sound_id from journal j join copies c on c.id = j.copy_id and not c.gone
    where lower(j.before ->> 'name') = any(${NAMES}) and j.before ? 'companions' and j.state = 'done') k
  join sounds s on s.id = k.sound_id and s.channels = (${SOUND} ->> 'channels')::int and s.sample_rate_hz = (${SOUND} ->> 'sampleRateHz')::int
    and abs(s.duration_seconds - (${SOUND} ->> 'durationSeconds')::float8) < ${SAME_LENGTH_SECONDS}`;
