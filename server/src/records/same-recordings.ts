import {
  FINGERPRINT_VERSION,
  fingerprintBytes,
  keysOf,
  keysOfTurn,
  readFingerprint,
  TURNS_OF_KEYS,
  type Fingerprint,
} from '@flagstone/core/audio/fingerprint/fingerprint';
import { rangesOf, sameRecording, type SameRecording } from '@flagstone/core/audio/fingerprint/same-recording';
import { compareQuality, qualityBeside } from '@flagstone/core/audio/quality';
import type { OtherForm } from '@flagstone/contract/recordings';
import { eq, sql, type SQL } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import type { Queryable } from '../db/connect.ts';
import { bulkInsert } from '../db/bulk-insert.ts';
import { fingerprints, sameRecordings } from '../db/recordings-schema.ts';
import { idList } from '../db/sql-parts.ts';
import type { Sight } from '../rights/rights.ts';
import { rowsInOrder } from './sound-rows.ts';

/** Fingerprints that are looked for in one statement. */
const PAGE = 125;
/** Statements that the database answers at once, each on a connection and a core of its own. */
const PAGES_AT_ONCE = 2;
/** Others that are compared with one bit by bit: a word, a length and a place that everybody has must not read the whole table. */
const MOST_COMPARED = 20;
/** Numbers are kept with 24 bits. */
const ROUNDED = 1e-4;
/** Held by whoever compares: two at once would wait for each other's pairs. */
const LOCK = sql`pg_try_advisory_xact_lock(hashtext('flagstone same recordings'))`;

/** Keeps the fingerprint of a sound, to be compared with the others; nothing for one in which nothing is heard. */
export async function keepFingerprint(db: Queryable, soundId: number, print: Fingerprint | null): Promise<void> {
  if (!print) {
    await db.delete(fingerprints).where(eq(fingerprints.soundId, soundId));
    return;
  }
  const row = {
    soundId,
    version: FINGERPRINT_VERSION,
    print: Buffer.from(fingerprintBytes(print)),
    heardSeconds: print.heardSeconds,
    centreHz: print.centreHz,
    keys: keysOf(print).map(signed),
    isCompared: false,
  };
  await db.insert(fingerprints).values(row).onConflictDoUpdate({ target: fingerprints.soundId, set: row });
}

/** As PostgreSQL keeps a number of 32 bits. */
const signed = (word: number): number => word | 0;

/** The sounds that hold the same recording as one, the best first. */
export async function otherFormsOf(app: AppContext, soundId: number, sight: Sight): Promise<OtherForm[]> {
  const { rows } = await app.db.execute<{ other_id: number; difference: number; is_certain: boolean }>(sql`
    select e.other_id, e.difference, e.is_certain from same_recordings e
    where e.sound_id = ${soundId} and exists (select from copies h where h.sound_id = e.other_id and not h.gone) order by e.difference limit ${MOST_COMPARED}`);
  const ids = [soundId, ...rows.map(({ other_id: id }) => id)];
  const [shown, ...others] = await rowsInOrder(app.db, 'sounds', ids, sight);
  if (shown?.soundId !== soundId) return [];
  const forms = others.map((row): OtherForm => {
    const known = rows.find(({ other_id: id }) => id === row.soundId);
    return {
      row,
      difference: known?.difference ?? 0,
      isCertain: known?.is_certain ?? false,
      quality: qualityBeside(row.facts, shown.facts),
    };
  });
  return forms.sort((a, b) => compareQuality(b.row.facts, a.row.facts));
}

export interface FoundRecording extends SameRecording {
  soundId: number;
}

/**
 * The sounds that hold the same recordings as some fingerprints, by whatever number each is asked with, those most alike first. `isWanted` narrows the sounds by the column
 * `f.sound_id`.
 */
export async function findRecordings(
  db: Queryable,
  asked: ReadonlyMap<number, Fingerprint>,
  isWanted: SQL,
): Promise<Map<number, FoundRecording[]>> {
  const found = new Map<number, FoundRecording[]>();
  for (let turn = 0; turn < TURNS_OF_KEYS; turn += 1) {
    const left = [...asked].filter(([number]) => !found.has(number));
    const pages = Array.from({ length: Math.ceil(left.length / PAGE) }, (_, nth) =>
      left.slice(nth * PAGE, (nth + 1) * PAGE),
    );
    const coming: Promise<Map<number, Candidate[]>>[] = [];
    for (const [nth, page] of pages.entries()) {
      // The database looks for the next ones while these are compared.
      while (coming.length < Math.min(pages.length, nth + PAGES_AT_ONCE)) {
        const next = candidatesOf(db, pages[coming.length] ?? [], turn, isWanted);
        // Looked at when these are compared; until then it must not count as unhandled.
        next.catch(() => undefined);
        coming.push(next);
      }
      const candidates = await coming[nth];
      for (const [place, [number, print]] of page.entries()) {
        const same = alikeOf(print, candidates?.get(number) ?? []);
        if (same.length > 0) found.set(number, same);
        // Ten with as many candidates as there may be take some milliseconds: others come in between.
        if (place % 10 === 9) await new Promise(setImmediate);
      }
    }
  }
  return found;
}

interface Candidate {
  soundId: number;
  print: Buffer;
}

/** Those of which the words of a turn are in some fingerprints, and whose length and place are near, by the number of each that is asked for. */
async function candidatesOf(
  db: Queryable,
  asked: readonly (readonly [number, Fingerprint])[],
  turn: number,
  isWanted: SQL,
): Promise<Map<number, Candidate[]>> {
  if (asked.length === 0) return new Map();
  const questions = asked.map(([number, print]) => {
    const { heardSeconds, centreHz } = rangesOf(print);
    return {
      number,
      keys: keysOfTurn(print, turn).map(signed),
      heard_from: heardSeconds[0] - ROUNDED,
      heard_to: heardSeconds[1] + ROUNDED,
      centre_from: centreHz[0] * (1 - ROUNDED),
      centre_to: centreHz[1] * (1 + ROUNDED),
    };
  });
  const { rows } = await db.execute<{ number: number; sound_id: number; print: Buffer }>(sql`
    select q.number, o.sound_id, o.print
    from jsonb_to_recordset(${JSON.stringify(questions)}::jsonb) q(number bigint, keys int[], heard_from real, heard_to real, centre_from real, centre_to real)
    cross join lateral (
      select f.sound_id, f.print from fingerprints f
      where f.keys && q.keys and f.version = ${FINGERPRINT_VERSION} and f.heard_seconds between q.heard_from and q.heard_to
      and f.centre_hz between q.centre_from and q.centre_to and ${isWanted} limit ${MOST_COMPARED}) o`);
  const candidates = new Map<number, Candidate[]>();
  for (const { number, sound_id: soundId, print } of rows) {
    const known = candidates.get(number);
    if (known) known.push({ soundId, print });
    else candidates.set(number, [{ soundId, print }]);
  }
  return candidates;
}

/** Those candidates that hold the same recording as a fingerprint, the most alike first. */
function alikeOf(print: Fingerprint, candidates: readonly Candidate[]): FoundRecording[] {
  const same = candidates.flatMap(({ soundId, print: bytes }): FoundRecording[] => {
    const alike = sameRecording(print, readFingerprint(bytes));
    return alike ? [{ soundId, ...alike }] : [];
  });
  return same.sort((a, b) => a.difference - b.difference);
}

/**
 * Compares the fingerprints that wait for it with all others, some at a time, and keeps which hold the same recording. Does nothing while another process does so. Returns how
 * many were compared.
 */
export async function compareFingerprints(app: AppContext, signal?: AbortSignal): Promise<number> {
  for (let compared = 0; ;) {
    if (signal?.aborted) return compared;
    const { asked, soundIds } = await app.db.transaction(comparePage);
    if (soundIds.length > 0) await app.live.publish(app.db, { type: 'records', soundIds, measured: true });
    if (asked === 0) return compared;
    compared += asked;
  }
}

/** Returns how many were compared, and the sounds of which it is known now that another one holds the same recording. */
async function comparePage(tx: Queryable): Promise<{ asked: number; soundIds: number[] }> {
  const { rows } = await tx.execute<{ sound_id: number; print: Buffer }>(sql`
    select w.sound_id, w.print from (select ${LOCK} as is_mine) l join fingerprints w on l.is_mine
    where not w.is_compared and w.version = ${FINGERPRINT_VERSION} order by w.sound_id limit ${PAGE} for no key update of w`);
  if (rows.length === 0) return { asked: 0, soundIds: [] };
  const asked = new Map(rows.map(({ sound_id: soundId, print }) => [soundId, readFingerprint(print)]));
  const found = await findRecordings(tx, asked, sql`f.sound_id <> q.number`);
  const pairs = new Map<string, typeof sameRecordings.$inferInsert>();
  for (const [soundId, others] of found)
    for (const { soundId: otherId, difference, isCertain } of others) {
      pairs.set(`${soundId} ${otherId}`, { soundId, otherId, difference, isCertain });
      pairs.set(`${otherId} ${soundId}`, { soundId: otherId, otherId: soundId, difference, isCertain });
    }
  const ids = idList([...asked.keys()]);
  await tx.execute(sql`delete from same_recordings where sound_id = any(${ids}) or other_id = any(${ids})`);
  if (pairs.size > 0)
    await tx.execute(sql`
      ${bulkInsert(sameRecordings, [...pairs.values()])} on conflict (sound_id, other_id) do update set difference = excluded.difference, is_certain = excluded.is_certain`);
  await tx.execute(sql`update fingerprints set is_compared = true where sound_id = any(${ids})`);
  return { asked: rows.length, soundIds: [...new Set([...pairs.values()].map(({ soundId }) => soundId))] };
}
