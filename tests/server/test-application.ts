import { mkdir, mkdtemp, rm, writeFile } from 'node:fs/promises';
import os from 'node:os';
import path from 'node:path';
import { jest } from '@jest/globals';
import { api, type Api } from '@flagstone/contract/api';
import type { Endpoint } from '@flagstone/contract/endpoint';
import type { Job } from '@flagstone/contract/jobs';
import { wavBytes, type WavTags } from '@flagstone/demo/wav-file';
import { openApplication, type Application } from '@flagstone/server/application';
import { httpServer } from '@flagstone/server/http-server';
import { sql } from 'drizzle-orm';
import pg from 'pg';
import pino from 'pino';
import request, { type Response } from 'supertest';
import { addTestPeople, signedInAs } from '../signed-in.ts';
import { newDatabase } from './new-database.ts';

jest.setTimeout(30_000);

type ResponseOf<E> = E extends Endpoint<infer _P, infer _Q, infer _B, infer Response> ? Response : never;
interface Options {
  params?: Record<string, unknown>;
  query?: Record<string, unknown>;
  body?: unknown;
  person?: number;
}

/** An application on a database and a drive of its own, spoken to over HTTP as the browser does. */
export class TestApplication {
  readonly drive: string;
  readonly databaseAddress: string;
  private application: Application;
  private server: ReturnType<typeof httpServer> | undefined;

  private constructor(drive: string, databaseAddress: string, application: Application) {
    this.drive = drive;
    this.databaseAddress = databaseAddress;
    this.application = application;
  }

  static async open(): Promise<TestApplication> {
    const name = `test_${path
      .basename(await mkdtemp(path.join(os.tmpdir(), 'fs-')))
      .replace(/\W/g, '_')
      .toLowerCase()}_${process.pid}`;
    const address = await newDatabase(name);
    const drive = await mkdtemp(path.join(os.tmpdir(), 'flagstone-drive-'));
    const application = await openApplication(address, [drive], quiet());
    await addTestPeople(application.context.db);
    return new TestApplication(drive, address, application);
  }

  /** A statement that the application itself has no right to. */
  async asOwner(statement: string): Promise<void> {
    const owner = new pg.Client(this.databaseAddress);
    await owner.connect();
    await owner.query(statement);
    await owner.end();
  }

  get context() {
    return this.application.context;
  }

  /** Requests of the first person of tests. */
  get http() {
    return this.nobody.set(signedInAs(1));
  }

  /** Requests of nobody who is signed in. */
  get nobody() {
    // Made once: its routes are more work than most requests.
    this.server ??= httpServer(this.application.context);
    return request.agent(this.server);
  }

  /** Closes and opens again on the same database, as a restart does. */
  restart(): Promise<void> {
    return this.whileClosed(() => Promise.resolve());
  }

  /** Does something to the database while nobody uses it. */
  async whileClosed(work: () => Promise<unknown>): Promise<void> {
    await this.application.close();
    this.server = undefined;
    try {
      await work();
    } finally {
      this.application = await openApplication(this.databaseAddress, [this.drive], quiet());
    }
  }

  /** Closes it. Whatever a suite did, search rows and counts of drift have to say at its end what they would say if they were made anew. */
  async close(): Promise<void> {
    const stale = await this.staleSearchRows();
    const miscounted = await this.miscountedDrift();
    await this.application.close();
    await rm(this.drive, { recursive: true, force: true });
    if (stale.length > 0) throw new Error(`Search rows say what is no longer so: ${JSON.stringify(stale)}`);
    if (miscounted.length > 0) throw new Error(`Drift is not as it is counted: ${JSON.stringify(miscounted)}`);
  }

  /** What rows said and would say, of some that differ. */
  private async staleSearchRows(): Promise<unknown[]> {
    return this.context.db.transaction(async (db) => {
      // Measuring may be under way.
      await db.execute(sql`lock table search_rows in share row exclusive mode`);
      await db.execute(sql`create temporary table told on commit drop as select * from search_rows`);
      await db.execute(sql`select flagstone_refresh_search(array(select sound_id from records order by 1))`);
      const { rows } = await db.execute(sql`
      select coalesce(f.sound_id, t.sound_id) as "soundId",
        (select jsonb_object_agg(key, jsonb_build_array(value, to_jsonb(f) -> key)) from jsonb_each(to_jsonb(t)) where value <> to_jsonb(f) -> key) as differing
      from search_rows f full join told t on t.sound_id = f.sound_id where to_jsonb(f) - 'collection_set' is distinct from to_jsonb(t) - 'collection_set'
        or (select collection_ids from collection_sets where id = f.collection_set) is distinct from (select collection_ids from collection_sets where id = t.collection_set) limit 3`);
      return rows;
    });
  }

  /** Where the sums that triggers keep are not what is counted. */
  private async miscountedDrift(): Promise<unknown[]> {
    const { rows } = await this.context.db.execute(sql`
      with kept as (select drive_id, read_folder_id, state, sum(copies) as copies from drift_counts group by 1, 2, 3 having sum(copies) <> 0),
      counted as (
        select c.drive_id, c.read_folder_id, v.state, count(*) as copies from copies c join records r on r.sound_id = c.sound_id join sounds s on s.id = c.sound_id
        cross join lateral (values (case when c.gone and c.cleared_at is not null then null else case when s.filed_at is null then 'preparing ' else '' end || case when c.gone then 'gone'
            when c.changed_outside then case when c.carries_revision < r.revision then 'split' else 'ahead' end
            when c.carries_revision < r.revision then 'behind' else 'inStep' end end),
          (case when not c.gone and c.proved_at is null then case when s.filed_at is null then 'preparing ' else '' end || 'unproved' end),
          (case when not c.gone and c.damaged_at is not null then case when s.filed_at is null then 'preparing ' else '' end || 'damaged' end)) v(state) where v.state is not null group by 1, 2, 3)
      (select 'kept' as what, * from (select * from kept except select * from counted) k) union all
      (select 'counted', * from (select * from counted except select * from kept) k)`);
    return rows;
  }

  /** Calls an endpoint and returns status and body. */
  async send<Name extends keyof Api>(name: Name, { params = {}, query = {}, body, person = 1 }: Options = {}) {
    const endpoint = api[name];
    const address = `/api${endpoint.path.replace(/:(\w+)/g, (_, key: string) => String(params[key]))}`;
    const method = endpoint.method.toLowerCase() as 'get' | 'post' | 'patch' | 'delete';
    const sent = this.nobody[method](address).set('Host', '127.0.0.1').set(signedInAs(person)).query(query);
    return body === undefined ? sent : sent.send(body as object);
  }

  /** Calls an endpoint that has to succeed; the answer is parsed by the contract. */
  async call<Name extends keyof Api>(name: Name, options: Options = {}): Promise<ResponseOf<Api[Name]>> {
    const answer = await this.send(name, options);
    if (answer.status !== 200) throw new Error(`${name}: ${answer.status} ${JSON.stringify(answer.body)}`);
    return (api[name].response as unknown as { parse: (value: unknown) => ResponseOf<Api[Name]> }).parse(answer.body);
  }

  /** Waits, by live events, until a job has ended. */
  async ended(job: Job): Promise<Job> {
    return new Promise((resolve, reject) => {
      const stop = this.context.live.subscribe((event) => event.type === 'job' && check(event.job));
      const check = (now: Job): void => {
        if (now.id !== job.id || now.state === 'waiting' || now.state === 'running') return;
        stop();
        resolve(now);
      };
      this.call('listJobs').then((jobs) => jobs.forEach(check), reject);
    });
  }

  /** Puts a made file onto the drive. */
  async put(relative: string, options: { seed?: number; tags?: WavTags; bytes?: Uint8Array } = {}): Promise<string> {
    const full = path.join(this.drive, relative);
    await mkdir(path.dirname(full), { recursive: true });
    await writeFile(full, options.bytes ?? toneBytes(options.seed ?? relative.length, options.tags));
    return full;
  }

  /** Reads a folder of the drive into a batch and waits for it. */
  async intake(folder = ''): Promise<{ batchId: number; job: Job }> {
    const { batch, job } = await this.call('startIntake', { body: { path: path.join(this.drive, folder) } });
    return { batchId: batch.id, job: await this.ended(job) };
  }

  /** Waits until every sound that was read is measured, or could not be. */
  async measured(): Promise<Job[]> {
    const jobs = (await this.call('listJobs')).filter((job) => job.kind === 'measure');
    return Promise.all(jobs.map((job) => this.ended(job)));
  }

  /** Makes a plan, runs it and waits; returns its id and how the job ended. */
  async planAndRun(kind: 'rename' | 'write', batchId: number): Promise<{ planId: number; job: Job }> {
    const plan = await this.call('makePlan', { body: { kind, selection: { kind: 'batch', batchId } } });
    return {
      planId: plan.id,
      job: await this.ended(await this.call('runPlan', { params: { id: plan.id }, body: {} })),
    };
  }
}

function quiet() {
  return pino({ level: process.env['FLAGSTONE_LOG'] ?? 'silent' }, pino.destination(2));
}

/** A short tone; other seeds are other sounds. */
export function toneBytes(seed: number, tags: WavTags = {}): Uint8Array {
  const signal = Float32Array.from({ length: 2400 }, (_, index) => Math.sin(index / (3 + (seed % 97) / 10)) * 0.5);
  signal[0] = (seed % 1000) / 1000;
  return wavBytes([signal], { rate: 48000, bits: 16 }, tags);
}

/** Takes an answer as bytes, whatever its type; for `parse` of supertest. */
export function bytesOf(response: Response, done: (error: Error | null, body: unknown) => void): void {
  const chunks: Buffer[] = [];
  // supertest hands over the stream of the answer under the type of the answer itself.
  const stream = response as unknown as NodeJS.ReadableStream;
  stream.on('data', (chunk: Buffer) => chunks.push(chunk)).on('end', () => done(null, Buffer.concat(chunks)));
}
