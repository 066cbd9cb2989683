import type { CategoryList } from '@flagstone/core/ucs/category-list';
import type { CategorySuggester } from '@flagstone/core/suggest/suggest-category';
import type { DemoPerson } from '@flagstone/contract/people';
import type { Logger } from 'pino';
import type { Database } from './db/connect.ts';
import type { AllowedRoots } from './disk/roots.ts';
import type { WorkerPool } from './workers/worker-pool.ts';
import type { JobQueue } from './jobs/job-queue.ts';
import type { LiveEvents } from './live/live-events.ts';
import type { AskerSource } from './people/asker.ts';
import type { Presences } from './people/presence.ts';

/** What services work with; made once at start and handed down, so that tests can make their own. */
export interface AppContext {
  db: Database;
  roots: AllowedRoots;
  workers: WorkerPool;
  categories: CategoryList;
  suggester: CategorySuggester;
  live: LiveEvents;
  jobs: JobQueue;
  askers: AskerSource;
  presences: Pick<Presences, 'enter' | 'move' | 'list'>;
  /** Who is signed in by a click; nobody but in the demo. */
  demoPeople: readonly DemoPerson[];
  /** Called when what is watched may have changed; does nothing in a process that watches nothing. */
  refreshWatching: () => Promise<void>;
  log: Logger;
}
