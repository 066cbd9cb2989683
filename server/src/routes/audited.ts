import type { Asker } from '../people/asker.ts';
import { note, type Caller } from '../people/audit-log.ts';
import type { AppContext } from '../app-context.ts';

interface AskedFor {
  params: unknown;
  query: unknown;
  body: unknown;
  asker: Asker;
  caller: Caller;
}

/**
 * Does what was asked for, once the audit log says so where the contract wants it: before, so that it is there whatever happens then. What fails is told by a
 * second line.
 */
export async function audited<Answer>(
  app: Pick<AppContext, 'db'>,
  { audit }: { audit: string | undefined },
  { params, query, body, asker, caller }: AskedFor,
  work: () => Promise<Answer>,
): Promise<Answer> {
  if (audit === undefined) return work();
  const line = {
    what: audit,
    about: [wordsOf(params), wordsOf(query), wordsOf(body)].filter((part) => part !== '').join(' '),
    by: { id: asker.personId, name: asker.name },
    address: caller.address,
  };
  await note(app.db, line);
  try {
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
