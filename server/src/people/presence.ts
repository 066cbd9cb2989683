import { randomUUID } from 'node:crypto';
import type { Presence, Whereabouts } from '@flagstone/contract/presence';
import { and, eq, inArray, lt, sql } from 'drizzle-orm';
import type { Logger } from 'pino';
import type { Database } from '../db/connect.ts';
import { presence } from '../db/people-schema.ts';
import type { LiveEvents } from '../live/live-events.ts';

/** So often a server says that the pages whose streams it holds are open. */
const BEAT_MS = 2000;
/** A page of which nothing was heard for so long is closed, or the server that held its stream is gone. */
const GONE_AFTER = sql`now() - interval '6 seconds'`;
const MOST = 2000;

/**
 * Who is here, and what they have open: a row for each page whose stream of live events is open, in whatever process of the server. It goes when the stream ends, and six
 * seconds after the process that held it was last heard of.
 */
export class Presences {
  private readonly db: Database;
  private readonly live: LiveEvents;
  private readonly log: Logger;
  /** The streams that this process holds. */
  private readonly held = new Map<string, { page: string; personId: number }>();
  private readonly beating: NodeJS.Timeout;

  constructor(db: Database, live: LiveEvents, log: Logger) {
    this.db = db;
    this.live = live;
    this.log = log;
    this.beating = setInterval(() => {
      this.beat().catch((error: unknown) => this.log.warn({ err: error }, 'who is here cannot be kept up to date'));
    }, BEAT_MS);
    this.beating.unref();
  }

  /** Somebody's page listens; the returned function tells that it does so no more. A page that listens anew has been here all the time. */
  async enter(page: string, personId: number): Promise<() => Promise<void>> {
    const stream = randomUUID();
    const isNew = await this.put(stream, page, personId);
    // Only now: one that could not be made known is nobody's to keep.
    this.held.set(stream, { page, personId });
    if (isNew) await this.tell({ page, personId, batchId: null, soundId: null }, true);
    return () => this.leave(stream);
  }

  private async put(stream: string, page: string, personId: number): Promise<boolean> {
    const { rows } = await this.db.execute<{ is_new: boolean }>(sql`
      insert into presence (page, person_id, stream) values (${page}::uuid, ${personId}, ${stream}::uuid)
      on conflict (page) do update set stream = excluded.stream, seen_at = now() where presence.person_id = excluded.person_id
      returning xmax = 0 as is_new`);
    return rows[0]?.is_new === true;
  }

  private async leave(stream: string): Promise<void> {
    const page = this.held.get(stream);
    this.held.delete(stream);
    // One that listens by another stream already is here still.
    const gone = await this.db.delete(presence).where(eq(presence.stream, stream)).returning();
    if (page && gone.length > 0) await this.tell({ ...page, batchId: null, soundId: null }, false);
  }

  /** What somebody has open on a page of theirs now; nothing when the page is not here. */
  async move(page: string, personId: number, { batchId, soundId }: Whereabouts): Promise<void> {
    const moved = await this.db
      .update(presence)
      .set({ batchId, soundId })
      .where(and(eq(presence.page, page), eq(presence.personId, personId)))
      .returning({ page: presence.page });
    if (moved.length > 0) await this.tell({ page, personId, batchId, soundId }, true);
  }

  /** Everybody who is here. */
  async list(): Promise<Presence[]> {
    const { page, personId, batchId, soundId } = presence;
    return this.db
      .select({ page, personId, batchId, soundId })
      .from(presence)
      .where(sql`${presence.seenAt} > ${GONE_AFTER}`)
      .orderBy(presence.personId, presence.page)
      .limit(MOST);
  }

  private async beat(): Promise<void> {
    const streams = [...this.held.keys()];
    if (streams.length > 0) {
      const kept = await this.db
        .update(presence)
        .set({ seenAt: sql`now()` })
        .where(inArray(presence.stream, streams))
        .returning({ stream: presence.stream });
      // Others took this process for dead while it was held up.
      const lost = streams.filter((stream) => !kept.some((row) => row.stream === stream));
      for (const stream of lost) {
        const page = this.held.get(stream);
        if (page && (await this.put(stream, page.page, page.personId)))
          await this.tell({ ...page, batchId: null, soundId: null }, true);
      }
    }
    const gone = await this.db.delete(presence).where(lt(presence.seenAt, GONE_AFTER)).returning();
    for (const { page, personId } of gone) await this.tell({ page, personId, batchId: null, soundId: null }, false);
  }

  private tell(who: Presence, isHere: boolean): Promise<void> {
    return this.live.publish(this.db, { type: 'presence', presence: who, isHere });
  }

  /** Ends with the server: its pages are closed, or listen at another one soon. */
  async close(): Promise<void> {
    clearInterval(this.beating);
    const streams = [...this.held.keys()];
    this.held.clear();
    if (streams.length > 0) await this.db.delete(presence).where(inArray(presence.stream, streams));
  }
}
