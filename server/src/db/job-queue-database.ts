import type PgBoss from 'pg-boss';
import pg from 'pg';

const CONNECTIONS = 3;
const WAIT_FOR_CONNECTION_MS = 30_000;

/**
 * The connections of pg-boss. Its own pool, ended while a worker waits for a connection, leaves that worker waiting for ever: it never stops, and pg-boss
 * looks after it once a second for as long as the process lives. This one ends only when everything that was asked has been answered.
 */
export class JobQueueDatabase implements PgBoss.Db {
  private readonly pool: pg.Pool;
  private readonly underWay = new Set<Promise<unknown>>();
  private isClosed = false;

  constructor(address: string, applicationName: string, onError: (error: Error) => void) {
    this.pool = new pg.Pool({
      connectionString: address,
      max: CONNECTIONS,
      application_name: applicationName,
      connectionTimeoutMillis: WAIT_FOR_CONNECTION_MS,
    });
    this.pool.on('error', onError);
  }

  /** Rejects when it is closed: what a worker would note only then is settled by whoever comes next. */
  async executeSql(text: string, values: unknown[]): Promise<{ rows: unknown[] }> {
    if (this.isClosed) throw new Error('the job queue is closed');
    const answer = this.pool.query<Record<string, unknown>>(text, values);
    this.underWay.add(answer);
    try {
      return await answer;
    } finally {
      this.underWay.delete(answer);
    }
  }

  /** Ends the connections, after everything that was asked has been answered. */
  async close(): Promise<void> {
    while (this.underWay.size > 0) await Promise.allSettled(this.underWay);
    this.isClosed = true;
    await this.pool.end();
  }
}
