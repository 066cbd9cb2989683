import { EventEmitter } from 'node:events';
import { liveEventSchema, type LiveEvent } from '@flagstone/contract/jobs';
import { sql } from 'drizzle-orm';
import pg from 'pg';
import type { Logger } from 'pino';
import type { Queryable } from '../db/connect.ts';

const CHANNEL = 'flagstone_live';
/** PostgreSQL refuses payloads of 8000 bytes and more. */
const MAX_PAYLOAD_BYTES = 7900;

/** Live events through PostgreSQL's LISTEN and NOTIFY, so that every server process hears what any process does. */
export class LiveEvents {
  private readonly emitter = new EventEmitter().setMaxListeners(0);
  private readonly client: pg.Client;

  private constructor(client: pg.Client) {
    this.client = client;
  }

  static async listen(connectionString: string, log: Logger): Promise<LiveEvents> {
    const client = new pg.Client(connectionString);
    const live = new LiveEvents(client);
    client.on('error', (error) => log.error({ error }, 'the connection for live events broke'));
    client.on('notification', ({ payload }) =>
      live.emitter.emit('event', liveEventSchema.parse(JSON.parse(payload ?? '{}'))),
    );
    await client.connect();
    await client.query(`listen ${CHANNEL}`);
    return live;
  }

  /** Calls back for each event until the returned function is called. */
  subscribe(onEvent: (event: LiveEvent) => void): () => void {
    this.emitter.on('event', onEvent);
    return () => void this.emitter.off('event', onEvent);
  }

  /** Tells everybody. An event too large for one notification goes without its ids (reload everything) or its log of errors. */
  async publish(db: Queryable, event: LiveEvent): Promise<void> {
    let payload = JSON.stringify(event);
    if (payload.length > MAX_PAYLOAD_BYTES && event.type === 'records')
      payload = JSON.stringify({ ...event, soundIds: [] });
    if (payload.length > MAX_PAYLOAD_BYTES && event.type === 'job')
      payload = JSON.stringify({ ...event, job: { ...event.job, failures: [] } });
    await db.execute(sql`select pg_notify(${CHANNEL}, ${payload})`);
  }

  close(): Promise<void> {
    return this.client.end();
  }
}
