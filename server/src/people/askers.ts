import type { Database } from '../db/connect.ts';
import type { LiveEvents } from '../live/live-events.ts';
import { collections } from '../db/schema.ts';
import { rightsOf } from '../rights/person-rights.ts';
import { atMost } from '../rights/rights.ts';
import { ownerOfToken } from './api-tokens.ts';
import type { Asker, AskerSource, SecretKind } from './asker.ts';
import { digestOf } from './secrets.ts';
import { ownerOf } from './sessions.ts';

/** What is known of a secret is asked for again after this, at the latest. */
const KNOWN_FOR_MS = 5000;
const MOST_KNOWN = 10_000;

/**
 * Who asks, by the secret of their session or token. Kept for seconds, as a page asks dozens of times in each; forgotten when a session ends or somebody's rights change, as
 * soon as that is heard, in whatever process. Whoever changes something is looked up each time, so that nothing is done with rights that were taken a moment before.
 */
export class Askers implements AskerSource {
  private readonly db: Database;
  private readonly known = new Map<string, { owner: Promise<Asker | undefined>; until: number }>();
  private readonly stop: () => void;

  constructor(db: Database, live: Pick<LiveEvents, 'subscribe'>) {
    this.db = db;
    this.stop = live.subscribe(({ type }) => {
      if (type === 'people' || type === 'missed') this.known.clear();
    });
  }

  async find(kind: SecretKind, secret: string, isChanging = false): Promise<Asker | undefined> {
    // The secret itself stays in no memory.
    const key = `${kind} ${digestOf(secret).toString('base64')}`;
    const before = this.known.get(key);
    if (!isChanging && before && before.until > Date.now()) return before.owner;
    const owner = this.look(kind, secret, true);
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

  findAnew(kind: SecretKind, secret: string): Promise<Asker | undefined> {
    return this.look(kind, secret, false);
  }

  private async look(kind: SecretKind, secret: string, isUsed: boolean): Promise<Asker | undefined> {
    const owner = await (kind === 'session' ? ownerOf : ownerOfToken)(this.db, secret, isUsed);
    if (!owner) return undefined;
    const rights = await rightsOf(this.db, owner.personId);
    if (owner.most === null) return { ...owner, rights };
    const all = await this.db.select({ id: collections.id }).from(collections);
    return {
      ...owner,
      rights: atMost(
        rights,
        owner.most,
        all.map(({ id }) => id),
      ),
    };
  }

  private forget(key: string, owner: Promise<Asker | undefined>): void {
    if (this.known.get(key)?.owner === owner) this.known.delete(key);
  }

  close(): void {
    this.stop();
    this.known.clear();
  }
}
