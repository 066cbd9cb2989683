import { EventEmitter } from 'node:events';
import { liveEventSchema, type LiveEvent } from '@flagstone/contract/jobs';
import { sql } from 'drizzle-orm';
import pg from 'pg';
import type { Logger } from 'pino';
import type { Queryable } from '../db/connect.ts';

const CHANNEL = 'flagstone_live';
/** PostgreSQL refuses payloads of 8000 bytes and more. */
const MAX_PAYLOAD_BYTES = 7900;
/** Reconnecting: exponential backoff from the first wait to the longest. */
const FIRST_WAIT_MS = 200;
const LONGEST_WAIT_MS = 5000;
const CONNECT_WITHIN_MS = 10_000;

/**
 * Live events through PostgreSQL's LISTEN and NOTIFY, so that every server process hears what any process does. A connection that breaks is made again; events
 * of the time between are lost, so everybody is told `missed` then, and asks for everything anew.
 */
export class LiveEvents {
  private readonly emitter = new EventEmitter().setMaxListeners(0);
  private readonly connectionString: string;
  private readonly log: Logger;
  private client: pg.Client | undefined;
  private isClosed = false;
  private waiting: NodeJS.Timeout | undefined;

  private constructor(connectionString: string, log: Logger) {
    this.connectionString = connectionString;
    this.log = log;
  }

  static async listen(connectionString: string, log: Logger): Promise<LiveEvents> {
    const live = new LiveEvents(connectionString, log);
    live.client = await live.connect();
    return live;
  }

  /** Whether events arrive at the moment. */
  get isConnected(): boolean {
    return this.client !== undefined;
  }

  private async connect(): Promise<pg.Client> {
    const client = new pg.Client({
      connectionString: this.connectionString,
      connectionTimeoutMillis: CONNECT_WITHIN_MS,
      keepAlive: true,
    });
    client.on('notification', ({ payload }) => this.heard(payload));
    client.on('error', (error) => this.log.warn({ why: error.message }, 'the connection for live events broke'));
    try {
      await client.connect();
      await client.query(`listen ${CHANNEL}`);
    } catch (error) {
      await client.end().catch(() => undefined);
      throw error;
    }
    client.once('end', () => this.lost(client));
    return client;
  }

  private heard(payload: string | undefined): void {
    const event = liveEventSchema.safeParse(JSON.parse(payload ?? '{}'));
    // A process of another version may tell what this one does not know.
    if (event.success) this.emitter.emit('event', event.data);
    else this.log.warn({ payload }, 'a live event is not understood');
  }

  private lost(client: pg.Client): void {
    if (this.isClosed || this.client !== client) return;
    this.client = undefined;
    this.emitter.emit('lost');
    this.tryAgain(FIRST_WAIT_MS);
  }

  private tryAgain(waitMs: number): void {
    this.waiting = setTimeout(() => {
      this.connect().then(
        (client) => {
          if (this.isClosed) return void client.end();
          this.client = client;
          this.log.warn('live events arrive again');
          this.emitter.emit('event', { type: 'missed' } satisfies LiveEvent);
        },
        () => !this.isClosed && this.tryAgain(Math.min(LONGEST_WAIT_MS, waitMs * 2)),
      );
    }, waitMs);
  }

  /** Calls back for each event until the returned function is called. */
  subscribe(onEvent: (event: LiveEvent) => void): () => void {
    this.emitter.on('event', onEvent);
    return () => void this.emitter.off('event', onEvent);
  }

  /** Calls back when events stop arriving, until the returned function is called. */
  onLost(onLost: () => void): () => void {
    this.emitter.on('lost', onLost);
    return () => void this.emitter.off('lost', onLost);
  }

  /** Publishes to all processes. An event too large for one notification leaves out what can be fetched; at the worst everything is to be fetched. */
  async publish(db: Queryable, event: LiveEvent): Promise<void> {
    await db.execute(sql`select pg_notify(${CHANNEL}, ${payloadOf(event)})`);
  }

  async close(): Promise<void> {
    this.isClosed = true;
    clearTimeout(this.waiting);
    await this.client?.end();
  }
}

/** An event as one notification: what PostgreSQL counts is bytes, of which a letter may have four. */
export function payloadOf(event: LiveEvent): string {
  for (const smaller of [event, ...shortened(event)]) {
    const payload = JSON.stringify(smaller);
    if (Buffer.byteLength(payload) <= MAX_PAYLOAD_BYTES) return payload;
  }
  return JSON.stringify({ type: 'missed' } satisfies LiveEvent);
}

function shortened(event: LiveEvent): LiveEvent[] {
  if (event.type === 'records') return [{ ...event, soundIds: [] }];
  if (event.type !== 'job') return [];
  const { job } = event;
  const plain = { ...job, failures: job.failures.map((failure) => ({ ...failure, examples: [] })) };
  const cut = (text: string): string => text.slice(0, 300).toWellFormed();
  const error = job.error && { ...job.error, message: cut(job.error.message), remedy: cut(job.error.remedy) };
  return [
    { ...event, job: plain },
    { ...event, job: { ...plain, title: cut(job.title), awaitsDrive: job.awaitsDrive && cut(job.awaitsDrive), error } },
  ];
}
