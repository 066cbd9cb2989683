import type { Database } from '../db/connect.ts';
import type { LiveEvents } from '../live/live-events.ts';
import { ownerOfToken } from './api-tokens.ts';
import { digestOf } from './secrets.ts';
import { ownerOf, type SessionOwner } from './sessions.ts';

/** What is known of a secret is asked for again after this, at the latest. */
const KNOWN_FOR_MS = 5000;
const MOST_KNOWN = 10_000;

type Kind = 'session' | 'token';

/**
 * Who asks, by the secret of their session or token. Kept for seconds, as a page asks dozens of times in each; forgotten at once when a session ends or
 * somebody's rights change, in whatever process.
 */
export class Askers {
  private readonly db: Database;
  private readonly known = new Map<string, { owner: Promise<SessionOwner | undefined>; until: number }>();
  private readonly stop: () => void;

  constructor(db: Database, live: Pick<LiveEvents, 'subscribe'>) {
    this.db = db;
    this.stop = live.subscribe(({ type }) => {
      if (type === 'people' || type === 'missed') this.known.clear();
    });
  }

  /** Who has the session or token of a secret; undefined when there is none, or it is over. */
  async find(kind: Kind, secret: string): Promise<SessionOwner | undefined> {
    // The secret itself stays in no memory.
    const key = `${kind} ${digestOf(secret).toString('base64')}`;
    const before = this.known.get(key);
    if (before && before.until > Date.now()) return before.owner;
    const owner = kind === 'session' ? ownerOf(this.db, secret) : ownerOfToken(this.db, secret);
    if (this.known.size >= MOST_KNOWN) this.known.clear();
    this.known.set(key, { owner, until: Date.now() + KNOWN_FOR_MS });
    try {
      const found = await owner;
      // Guesses are not kept: they would push out those who are known.
      if (!found) this.forget(key, owner);
      return found;
    } catch (error) {
      this.forget(key, owner);
      throw error;
    }
  }

  /** Whether a session or token still holds. Looking is no use of it: a page that is left open does not keep its session. */
  async holds(kind: Kind, secret: string): Promise<boolean> {
    const owner = await (kind === 'session' ? ownerOf(this.db, secret, false) : ownerOfToken(this.db, secret, false));
    return owner !== undefined;
  }

  private forget(key: string, owner: Promise<SessionOwner | undefined>): void {
    if (this.known.get(key)?.owner === owner) this.known.delete(key);
  }

  close(): void {
    this.stop();
    this.known.clear();
  }
}
