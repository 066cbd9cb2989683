import type { Queryable } from '../db/connect.ts';
import { auditLog } from '../db/people-schema.ts';

/** Where a request comes from: the address of the connection, and what the browser calls itself. */
export interface Caller {
  address: string;
  browser: string;
}
/** At the shell of the server's own machine. */
export const SHELL: Caller = { address: 'shell', browser: '' };

interface Noted {
  /** In words, as “signs in”. */
  what: string;
  about: string;
  by: { id: number; name: string } | undefined;
  address: string;
  refused?: boolean;
}

const LONGEST_ABOUT = 200;

/** Adds a line to the audit log. In the transaction of what it tells of, so that neither is there without the other. */
export async function note(db: Queryable, { what, about, by, address, refused = false }: Noted): Promise<void> {
  await db.insert(auditLog).values({
    what,
    about: about.slice(0, LONGEST_ABOUT),
    personId: by?.id ?? null,
    personName: by?.name ?? '',
    address,
    refused,
  });
}
