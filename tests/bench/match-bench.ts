import { chmod, mkdtemp, rm } from 'node:fs/promises';
import os from 'node:os';
import path from 'node:path';
import { parseArgs } from 'node:util';
import { FingerprintMeter } from '@flagstone/core/audio/fingerprint/fingerprint-meter';
import { fingerprintBytes, keysOf, type Fingerprint } from '@flagstone/core/audio/fingerprint/fingerprint';
import { decodePcm } from '@flagstone/core/audio/pcm';
import { demoCollection } from '@flagstone/demo/collection';
import { demoFileBytes } from '@flagstone/demo/make-collection';
import { connect } from '@flagstone/server/db/connect';
import { startLocalPostgres } from '@flagstone/server/db/local-postgres';
import { readAudio } from '@flagstone/server/disk/read-audio';
import { memorySource } from '@flagstone/core/formats/byte-source';
import { findRecordings } from '@flagstone/server/records/same-recordings';
import { sql } from 'drizzle-orm';
import { randomFrom } from '../random.ts';

/**
 * `bench match [--rows 1000000] [--asked 100000]`: how long it takes to look up the fingerprints of so many recordings among so many others, half of them held in another form and
 * half not at all; how many are found, and how many wrongly. The fingerprints are those of the demo's sounds with bits turned at random, so that words are as frequent as they are.
 */
const { values } = parseArgs({
  options: { rows: { type: 'string', default: '1000000' }, asked: { type: 'string', default: '100000' } },
});
const [rows, askedFor] = [Number(values.rows), Number(values.asked)];
const folder = await mkdtemp(path.join(os.tmpdir(), 'flagstone-bench-match-'));
await chmod(folder, 0o755);
const say = (line: string): void => void process.stdout.write(`${line}\n`);
const secondsSince = (started: number): string => ((performance.now() - started) / 1000).toFixed(1);
const random = randomFrom(20);

async function demoPrints(): Promise<Fingerprint[]> {
  const prints: Fingerprint[] = [];
  for (const sound of demoCollection().filter(({ seconds }) => seconds > 0.2 && seconds < 6)) {
    const bytes = demoFileBytes(sound);
    const { facts } = await readAudio(memorySource(bytes));
    const planar = Array.from({ length: facts.channels }, () => new Float32Array(facts.frames));
    decodePcm(bytes.subarray(facts.audioOffset, facts.audioOffset + facts.audioBytes), facts, planar);
    const meter = new FingerprintMeter(facts.sampleRateHz);
    meter.add(planar[0] ?? new Float32Array(0), facts.frames);
    const print = meter.finish();
    if (print && print.robust.length > 20) prints.push(print);
  }
  return prints;
}

/** The same with each bit of its words turned as often. */
function turned(print: Fingerprint, share: number): Fingerprint {
  // The gaps between bits that turn, instead of a number for each bit.
  const words = print.words.slice();
  const gap = (): number => 1 + Math.floor(Math.log(1 - random()) / Math.log(1 - share));
  for (let at = gap(); at < words.length * 32; at += gap())
    words[at >> 5] = ((words[at >> 5] as number) ^ (1 << (at & 31))) >>> 0;
  return { ...print, words };
}

/** A recording of its own with words like those of another one. */
function madeUp(base: Fingerprint): Fingerprint {
  return {
    ...turned(base, 0.2),
    heardSeconds: base.heardSeconds * (0.8 + 0.4 * random()),
    centreHz: 200 * 20 ** random(),
  };
}

const started = performance.now();
const bases = await demoPrints();
say(`${bases.length} fingerprints of the demo in ${secondsSince(started)} s`);
const baseOf = (): Fingerprint => bases[Math.floor(random() * bases.length)] as Fingerprint;

const postgres = await startLocalPostgres(folder);
const { db, close } = await connect(postgres.connectionString, undefined, true);
await db.execute(sql`alter table fingerprints drop constraint fingerprints_sound_id_sounds_id_fk`);
await db.execute(sql`drop index fingerprints_keys`);

const list = (numbers: readonly number[]): string => `{${numbers.join(',')}}`;
const CHUNK = 2000;
const filling = performance.now();
const kept = new Map<number, Fingerprint>();
let bytes = 0;
for (let from = 1; from <= rows; from += CHUNK) {
  const ids = Array.from({ length: Math.min(CHUNK, rows - from + 1) }, (_, at) => from + at);
  const made = ids.map((id) => {
    const print = madeUp(baseOf());
    if (id % Math.max(1, Math.floor((2 * rows) / askedFor)) === 0) kept.set(id, print);
    return print;
  });
  const asBytes = made.map(fingerprintBytes);
  bytes += asBytes.reduce((sum, each) => sum + each.length, 0);
  const hex = asBytes.map((each) => Buffer.from(each).toString('hex')).join(',');
  const keys = made
    .map((print) =>
      keysOf(print)
        .map((word) => word | 0)
        .join(' '),
    )
    .join(',');
  await db.execute(sql`
    insert into fingerprints (sound_id, version, print, keys, heard_seconds, centre_hz, is_compared)
    select i, 1, decode(p, 'hex'), string_to_array(k, ' ')::int[], h, c, true
    from unnest(${list(ids)}::bigint[], string_to_array(${hex}, ','), string_to_array(${keys}, ','),
      ${list(made.map(({ heardSeconds }) => heardSeconds))}::real[], ${list(made.map(({ centreHz }) => centreHz))}::real[]) f(i, p, k, h, c)`);
}
await db.execute(sql`create index fingerprints_keys on fingerprints using gin (keys) with (fastupdate = false)`);
await db.execute(sql`vacuum analyze fingerprints`);
const { rows: sizes } = await db.execute<{ whole: string; keys: string }>(sql`
  select pg_size_pretty(pg_total_relation_size('fingerprints')) as whole, pg_size_pretty(pg_relation_size('fingerprints_keys')) as keys`);
say(
  `filled ${rows} in ${secondsSince(filling)} s; ${Math.round(bytes / rows)} bytes each, ${sizes[0]?.whole} in all, of it ${sizes[0]?.keys} of index`,
);

const own = [...kept].slice(0, askedFor / 2).map(([id, print]) => [id, turned(print, 0.04)] as const);
const strange = Array.from({ length: askedFor - own.length }, (_, at) => [-1 - at, madeUp(baseOf())] as const);
/** As lines of a sheet come: held and not held side by side. */
const all = own.flatMap((each, at) => [each, ...(strange[at] ? [strange[at]] : [])]);
const PAGE = 500;
const asking = performance.now();
const used = process.cpuUsage();
let [right, wrong, missed] = [0, 0, 0];
for (let at = 0; at < all.length; at += PAGE) {
  const page = new Map(all.slice(at, at + PAGE));
  const found = await findRecordings(db, page, sql`true`);
  for (const id of page.keys()) {
    const best = found.get(id)?.[0]?.soundId;
    if (best === id) right += 1;
    else if (best !== undefined) wrong += 1;
    else if (id > 0) missed += 1;
  }
}
const seconds = (performance.now() - asking) / 1000;
const { user, system } = process.cpuUsage(used);
say(
  `${all.length} looked up in ${seconds.toFixed(1)} s, ${((1000 * seconds) / all.length).toFixed(2)} ms each: ${right} of ${own.length} found, ${missed} missed, ${wrong} wrong; ${((user + system) / 1e6).toFixed(1)} s of it this process, the rest PostgreSQL`,
);
await close();
await postgres.leave();
await rm(folder, { recursive: true, force: true });
