import type { Asker } from '../people/asker.ts';
import { note, type Caller } from '../people/audit-log.ts';
import type { Needs } from '@flagstone/contract/endpoint';
import type { AppContext } from '../app-context.ts';
import { demand, type AskedOf } from './demand.ts';

interface AskedFor extends AskedOf {
  asker: Asker;
  caller: Caller;
}

/**
 * Does what was asked for by somebody who may, once the audit log says so where the contract wants it: before, so that it is there whatever happens then. What was refused,
 * or fails, is told too.
 */
export async function audited<Answer>(
  app: Pick<AppContext, 'db'>,
  { audit, needs }: { audit: string | undefined; needs: Needs },
  call: AskedFor,
  work: () => Promise<Answer>,
): Promise<Answer> {
  const { params, query, body, asker, caller } = call;
  const mayIt = async (): Promise<void> => {
    if (typeof needs === 'object') await demand(app, asker, needs, call);
  };
  if (audit === undefined) {
    await mayIt();
    return work();
  }
  const line = {
    what: audit,
    about: [wordsOf(params), wordsOf(query), wordsOf(body)].filter((part) => part !== '').join(' '),
    by: { id: asker.personId, name: asker.name },
    address: caller.address,
  };
  try {
    await mayIt();
    await note(app.db, line);
    return await work();
  } catch (error) {
    const why = error instanceof Error ? error.message : String(error);
    await note(app.db, { ...line, about: `${why} (${line.about})`, refused: true });
    throw error;
  }
}

/** What a request says, in short: `id 12, retired true`. */
function wordsOf(value: unknown): string {
  if (typeof value !== 'object' || value === null) return '';
  return Object.entries(value)
    .filter(([, each]) => each !== undefined && each !== '')
    .map(([key, each]) => `${key} ${typeof each === 'object' ? JSON.stringify(each) : String(each)}`)
    .join(', ');
}
