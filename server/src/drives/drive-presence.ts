import { eq, isNull } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import { drives } from '../db/schema.ts';
import { driveIsHere } from './drives.ts';

const LOOK_EVERY_MS = 3000;

/**
 * Looks which drives are here, again and again, notes it with the drives and tells every page when one goes or comes back. Only the server does this, not
 * its workers: on another machine other drives are mounted.
 */
export class DrivePresence {
  private readonly app: AppContext;
  private next: NodeJS.Timeout | undefined;
  private looking: Promise<void> = Promise.resolve();
  private isClosed = false;

  constructor(app: AppContext) {
    this.app = app;
  }

  /** Looks once, and from then on. */
  async start(): Promise<void> {
    await this.look();
    this.lookLater();
  }

  private lookLater(): void {
    if (this.isClosed) return;
    this.next = setTimeout(() => {
      this.looking = this.look().then(
        () => this.lookLater(),
        (error: unknown) => {
          this.app.log.warn({ err: error }, 'whether drives are here could not be noted');
          this.lookLater();
        },
      );
    }, LOOK_EVERY_MS);
  }

  /** Looks at every drive in use; returns how many went or came back. */
  async look(): Promise<number> {
    const rows = await this.app.db.select().from(drives).where(isNull(drives.retiredAt));
    const seen = await Promise.all(rows.map(async (drive) => ({ drive, away: !(await driveIsHere(drive)) })));
    const changed = seen.filter(({ drive, away }) => drive.away !== away);
    for (const { drive, away } of changed)
      await this.app.db.update(drives).set({ away }).where(eq(drives.id, drive.id));
    // Every row of such a drive shows another state now.
    if (changed.length > 0) await this.app.live.publish(this.app.db, { type: 'records', soundIds: [] });
    return changed.length;
  }

  async close(): Promise<void> {
    this.isClosed = true;
    clearTimeout(this.next);
    await this.looking;
  }
}
