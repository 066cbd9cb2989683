import { cp, mkdtemp, readFile, rm, writeFile } from 'node:fs/promises';
import os from 'node:os';
import path from 'node:path';
import { fileURLToPath } from 'node:url';
import { connect, type Database } from '@flagstone/server/db/connect';
import { afterAll, beforeAll, expect, it } from '@jest/globals';
import { sql } from 'drizzle-orm';
import { drizzle } from 'drizzle-orm/node-postgres';
import { migrate } from 'drizzle-orm/node-postgres/migrator';
import pg from 'pg';
import { fillCatalogue } from '../bench/fill-catalogue.ts';

const MIGRATIONS = fileURLToPath(new URL('../../server/migrations', import.meta.url));
/** The last one before search rows had terms. */
const BEFORE = 19;
const server = process.env['FLAGSTONE_TEST_DATABASE'] ?? '';
const address = server.replace(/\/[^/]+$/, `/upgrade_${process.pid}`);
let folder = '';
let missing = 0;

beforeAll(async () => {
  folder = await mkdtemp(path.join(os.tmpdir(), 'flagstone-migrations-'));
  await cp(MIGRATIONS, folder, { recursive: true });
  const journal = path.join(folder, 'meta', '_journal.json');
  const { entries, ...rest } = JSON.parse(await readFile(journal, 'utf8')) as { entries: { idx: number }[] };
  const kept = entries.filter(({ idx }) => idx <= BEFORE);
  missing = entries.length - kept.length;
  await writeFile(journal, JSON.stringify({ ...rest, entries: kept }));
  const admin = new pg.Client(server);
  await admin.connect();
  await admin.query(`create database upgrade_${process.pid}`);
  await admin.end();
});
afterAll(() => rm(folder, { recursive: true, force: true }));

it('brings a database of before up to date: fields find what it held, and how often it was used is kept', async () => {
  const before = new pg.Pool({ connectionString: address });
  await migrate(drizzle(before), { migrationsFolder: folder });
  await before.query("insert into people (name, initials) values ('Orla Venn', 'OV')");
  await fillCatalogue(drizzle(before) as unknown as Database, 50);
  await before.query('update search_rows set uses = sound_id where sound_id <= 3');
  await before.query('update copies set gone = true where sound_id = 4');
  await before.end();

  const told: number[] = [];
  const { db, close } = await connect(address, (migrations) => told.push(migrations));
  expect(told).toEqual([missing]);
  const { rows } = await db.execute(sql`
    select count(*) as sounds, sum(uses) as uses, count(*) filter (where terms @@ '''state=gone''' and state = 'gone' and copies = 0) as gone,
      count(*) filter (where terms @@ flagstone_asked('description', to_tsvector('english', 'benchmarks'))) as described from search_rows`);
  expect(rows).toEqual([{ sounds: 50, uses: 6, gone: 1, described: 50 }]);
  await close();
  // What is up to date is not told of.
  await (await connect(address, (migrations) => told.push(migrations))).close();
  expect(told).toHaveLength(1);
});
