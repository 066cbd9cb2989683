import { chmod, mkdir, writeFile } from 'node:fs/promises';
import { existsSync } from 'node:fs';
import type { AddressInfo } from 'node:net';
import os from 'node:os';
import path from 'node:path';
import { parseArgs } from 'node:util';
import { openContext } from '@flagstone/server/application';
import { sortKeySchema } from '@flagstone/contract/selection';
import { connect } from '@flagstone/server/db/connect';
import { startLocalPostgres } from '@flagstone/server/db/local-postgres';
import { httpServer } from '@flagstone/server/http-server';
import { sql } from 'drizzle-orm';
import pino from 'pino';
import { randomFrom } from '../random.ts';
import { addPersonWith, addTestPeople, signedInAs } from '../signed-in.ts';
import { askAsMany } from './many-clients.ts';
import { fieldSearches } from './field-searches.ts';
import { benchPage } from './search-page.ts';
import { DATA_VERSION, fillSearchable, fillWaveforms, vocabularyOf } from './fill-searchable.ts';

/**
 * `bench search [--rows 1000000] [--seconds 20] [--only WORDS]`: what a search costs on so many made-up sounds: the first page and the index's counts, categories among them,
 * asked for together over HTTP as the browser does; beside `ILIKE '%word%'` over the same rows; deep pages; 20 clients at once; sizes;
 * and in a browser from the last letter to the rows, and frames. The rows stay on disk
 * (in the system's temporary folder) for the next run.
 */
const { values } = parseArgs({
  options: {
    rows: { type: 'string', default: '1000000' },
    seconds: { type: 'string', default: '20' },
    only: { type: 'string', default: '' },
  },
});
const count = Number(values.rows);
const folder = path.join(os.tmpdir(), `flagstone-bench-search-${count}-${DATA_VERSION}`);
await mkdir(folder, { recursive: true });
await chmod(folder, 0o755);
const say = (line: string): void => void process.stdout.write(`${line}\n`);
const seconds = async (work: () => Promise<unknown>): Promise<number> => {
  const started = performance.now();
  await work();
  return (performance.now() - started) / 1000;
};

const postgres = await startLocalPostgres(folder);
const { context, close } = await openContext(
  postgres.connectionString,
  [folder],
  pino({ level: 'warn' }, pino.destination(2)),
);
const { db } = context;
await addTestPeople(db);
/** Filling takes the indexes away and makes them at the end, which is the owner's right. */
const owner = await connect(postgres.connectionString, undefined, true);
const server = httpServer(context).listen(0, '127.0.0.1');
await new Promise((resolve) => server.once('listening', resolve));
const address = `http://127.0.0.1:${(server.address() as AddressInfo).port}/api`;

interface Query {
  q?: string;
  sort?: string;
  direction?: string;
  after?: string;
  limit?: string;
  count?: string;
}

type Body = { total?: number | { count: number } | null; rows?: unknown[] };

const addressOf = (place: string, query: Query): string =>
  `${address}${place}?${new URLSearchParams({ ...query }).toString()}`;
/** Who asks: somebody who sees everything, or three collections of ten. */
let asker = signedInAs(1);
async function ask(place: string, query: Query): Promise<Body> {
  const answer = await fetch(addressOf(place, query), { headers: asker });
  const body = (await answer.json()) as Body;
  if (!answer.ok) throw new Error(`${place} ${JSON.stringify(query)}: ${answer.status} ${JSON.stringify(body)}`);
  return body;
}
/** As the browser asks: what many sounds answer is counted with the index. */
const asPage = (query: Query): [string, Query] => [
  '/catalogue',
  { sort: 'relevance', limit: '50', count: 'free', ...query },
];
const asIndex = (query: Query): [string, Query] => ['/catalogue/index', { q: query.q ?? '' }];
const page = (query: Query) => ask(...asPage(query));
const everything = (query: Query) => Promise.all([page(query), ask(...asIndex(query))]);

const vocabulary = vocabularyOf();
const random = randomFrom(3);
/** A word between two places of the vocabulary, the most frequent first. */
const between = (from: number, to: number): string =>
  vocabulary[from + Math.floor(random() * (Math.min(to, vocabulary.length) - from))] ?? '';
const any = (): string =>
  [() => between(0, 60), () => between(60, 600), () => between(600, 6000)][Math.floor(random() * 3)]?.() ?? '';
const misspelt = (word: string): string => word.slice(0, 2) + word.slice(3);

const KINDS: Record<string, () => Query> = {
  'nothing typed': () => ({ sort: 'name' }),
  'one frequent word': () => ({ q: `${between(0, 60)} ` }),
  'one word': () => ({ q: `${between(60, 600)} ` }),
  'one rare word': () => ({ q: `${between(600, 8000)} ` }),
  'two words': () => ({ q: `${any()} ${any()} ` }),
  'three words': () => ({ q: `${any()} ${any()} ${any()} ` }),
  'beginning, as typed': () => ({ q: between(0, 3000).slice(0, 3 + Math.floor(random() * 2)) }),
  misspelt: () => ({ q: `${misspelt(between(600, 3000))} ` }),
  phrase: () => ({ q: `"${between(0, 200)} ${between(0, 200)}" ` }),
  'one without another': () => ({ q: `${between(0, 200)} -${between(0, 60)} ` }),
  'either of two': () => ({ q: `${between(0, 200)} | ${between(0, 200)} ` }),
  'word, channels, length': () => ({ q: `${between(0, 200)} channels:6 length:2..10 ` }),
  'fields alone': () => ({ q: `rate:>=96000 loudness:<-30 rating:>=3 ` }),
  'library and form': () => ({ q: `library:="Library ${1 + Math.floor(random() * 20)}" form:bed ` }),
  'by length': () => ({ q: `${any()} `, sort: 'length', direction: 'desc' }),
};
const FIELDS = fieldSearches(any, (limit) => Math.floor(random() * limit));
/** How each field is asked for: alone, with a word, and without what it finds. */
const WAYS = [(term: string) => term, (term: string) => `${any()} ${term}`, (term: string) => `${any()} -${term}`];
const ROUNDS = 30;
const ROUNDS_OF_FIELD = 4;
/** More mixed searches than are asked in the time, so that none comes twice but by chance. */
const MIXED = 5000;
const WARMING = 500;

const at = (sorted: readonly number[], share: number): number => sorted[Math.floor((sorted.length - 1) * share)] ?? 0;
function line(what: string, times: number[], note = ''): string {
  const sorted = [...times].sort((a, b) => a - b).map((time) => time * 1000);
  const [median, high, longest] = [at(sorted, 0.5), at(sorted, 0.95), at(sorted, 1)].map((ms) =>
    ms.toFixed(0).padStart(5),
  );
  return `${what.padEnd(30)} median ${median} ms, 95 % ${high} ms, longest ${longest} ms ${note}`;
}

try {
  const filled = path.join(folder, 'filled');
  if (!existsSync(filled)) {
    const took = await seconds(() => fillSearchable(owner.db, count));
    say(`${count.toLocaleString('en')} sounds made and indexed in ${took.toFixed(0)} s`);
    await owner.db.execute(sql`vacuum analyze`);
    await writeFile(filled, '');
  }
  const drawable = path.join(folder, 'drawable');
  if (!existsSync(drawable)) {
    await fillWaveforms(db);
    await owner.db.execute(sql`analyze sound_peaks`);
    await writeFile(drawable, '');
  }
  say(`${count.toLocaleString('en')} sounds, Node.js ${process.version}, ${os.availableParallelism()} cores`);
  const { rows: sizes } = await db.execute<{ name: string; bytes: number }>(sql`
    select c.relname as name, pg_relation_size(c.oid) as bytes from pg_class c where c.relname like 'search\\_rows%' and relkind in ('r', 'i') order by 2 desc`);
  for (const { name, bytes } of sizes) say(`${name.padEnd(30)} ${(bytes / 1e6).toFixed(0).padStart(6)} MB`);

  for (let warm = 0; warm < 3; warm += 1) await everything({ q: `${any()} ` });
  const all: number[] = [];
  for (const [what, make] of Object.entries(KINDS)) {
    if (!what.includes(values.only)) continue;
    const [times, pages]: [number[], number[]] = [[], []];
    let hits = 0;
    for (let round = 0; round < ROUNDS; round += 1) {
      const query = make();
      const started = performance.now();
      await Promise.all([
        page(query).then(() => pages.push((performance.now() - started) / 1000)),
        ask(...asIndex(query)).then(({ total }) => (hits += typeof total === 'object' ? (total?.count ?? 0) : 0)),
      ]);
      times.push((performance.now() - started) / 1000);
    }
    all.push(...times);
    const rows =
      at(
        [...pages].sort((a, b) => a - b),
        0.95,
      ) * 1000;
    say(
      line(
        what,
        times,
        `(rows alone: 95 % ${rows.toFixed(0)} ms; ${Math.round(hits / ROUNDS).toLocaleString('en')} found on average)`,
      ),
    );
  }
  say(line('all of them', all));

  if ('rights'.includes(values.only)) {
    // The same searches by turns, so that both meet the same caches.
    const three = await addPersonWith(
      db,
      `Listener ${Date.now()}`,
      [2, 5, 9].map((collectionId) => ({ collectionId, role: 'listener' as const })),
    );
    const [free, held]: [number[], number[]] = [[], []];
    for (const [what, make] of Object.entries(KINDS)) {
      const [without, within]: [number[], number[]] = [[], []];
      for (let round = 0; round < ROUNDS; round += 1) {
        const query = make();
        for (const [headers, times] of [
          [signedInAs(1), without],
          [three.headers, within],
        ] as const) {
          asker = headers;
          times.push(await seconds(() => everything(query)));
        }
      }
      free.push(...without);
      held.push(...within);
      say(line(`rights: ${what}`, within, `(everything seen: ${line('', without).trim()})`));
    }
    asker = signedInAs(1);
    const sum = (times: readonly number[]): number => times.reduce((total, time) => total + time, 0);
    say(line('rights: 3 collections of 10', held, `${(sum(held) / sum(free)).toFixed(2)} x everything seen`));
    say(line('rights: everything seen', free));
  }

  if ('every field'.includes(values.only)) {
    const [ofFields, ofOrders]: [number[], number[]] = [[], []];
    for (const [name, term] of FIELDS) {
      const times: number[] = [];
      for (let round = 0; round < ROUNDS_OF_FIELD; round += 1)
        for (const way of WAYS) {
          const query = { q: `${way(term())} `, sort: round % 2 === 0 ? 'relevance' : 'name' };
          times.push(await seconds(() => everything(query)));
        }
      ofFields.push(...times);
      say(line(`field ${name}`, times));
    }
    say(line('every field', ofFields));
    for (const sort of sortKeySchema.options)
      for (const query of [{}, { q: `${between(0, 600)} ` }, { q: 'category:water ' }, { q: 'state:behind ' }])
        for (const direction of ['asc', 'desc'])
          ofOrders.push(await seconds(() => page({ ...query, sort, direction })));
    say(line('every order', ofOrders));
  }

  const slow: number[] = [];
  const fast: number[] = [];
  for (let round = 0; round < 5; round += 1) {
    const word = any();
    fast.push(await seconds(() => page({ q: `${word} ` })));
    const like = `%${word}%`;
    slow.push(
      await seconds(() =>
        db.execute(sql`
          select r.sound_id from records r where r.fx_name ilike ${like} or r.description ilike ${like} or array_to_string(r.keywords, ' ') ilike ${like}
            or r.category ilike ${like} or r.library ilike ${like} or exists (select from copies c where c.sound_id = r.sound_id and c.name ilike ${like})
          order by r.fx_name limit 100`),
      ),
    );
  }
  say(
    line(
      "ILIKE '%word%'",
      slow,
      `${(
        at(
          slow.sort((a, b) => a - b),
          0.5,
        ) /
        at(
          fast.sort((a, b) => a - b),
          0.5,
        )
      ).toFixed(0)} x a page of the same words`,
    ),
  );

  for (const [sort, column] of [
    ['name', sql`name`],
    ['length', sql`duration_seconds`],
  ] as const) {
    const { rows } = await db.execute<{ key: string | number; id: number }>(
      sql`select ${column} as key, sound_id as id from search_rows where filed order by ${column}, sound_id offset ${Math.floor(count * 0.8)} limit 1`,
    );
    const after = Buffer.from(JSON.stringify([rows[0]?.key, rows[0]?.id])).toString('base64url');
    const [first, deep]: [number[], number[]] = [[], []];
    for (let round = 0; round < 20; round += 1) {
      first.push(await seconds(() => page({ sort })));
      deep.push(await seconds(() => page({ sort, after })));
    }
    say(line(`by ${sort}: page one`, first));
    say(line(`by ${sort}: at 80 %`, deep));
  }

  if (values.only === '' || values.only === 'page') {
    // Gathers the words of the collection, as somebody's first search does.
    const reading = await seconds(() => ask('/catalogue/reading', { q: 'kilm' }));
    say(`the first reading of a line after the start takes ${reading.toFixed(1)} s`);
    const typedWords = Array.from({ length: 25 }, () => between(0, 3000));
    await benchPage(address.replace(/\/api$/, ''), typedWords, say);
  }

  const kinds = Object.values(KINDS);
  for (const [what, requests] of [
    ['20 clients, rows', [asPage]],
    ['20 clients, rows and counts', [asPage, asIndex]],
  ] as const) {
    const searches = Array.from({ length: MIXED }, () => {
      const query = kinds[Math.floor(random() * kinds.length)]?.() ?? {};
      return requests.map((request) => addressOf(...request(query)));
    });
    // First, so that each of the connections has met the tables.
    await askAsMany({ searches: searches.slice(-WARMING), clients: 20, seconds: 3 });
    const { times, seconds: took } = await askAsMany({ searches, clients: 20, seconds: Number(values.seconds) / 2 });
    say(line(what, times, `${(times.length / took).toFixed(0)} searches/s`));
  }
} finally {
  server.closeAllConnections();
  server.close();
  await owner.close();
  await close();
  await postgres.stop();
}
