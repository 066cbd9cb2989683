import type { Role } from '@flagstone/contract/roles';
import { sql } from 'drizzle-orm';
import type { Queryable } from '../db/connect.ts';
import type { Rights } from './rights.ts';

/** What a person may do now: nothing when they have left. */
export async function rightsOf(db: Queryable, personId: number): Promise<Rights> {
  const { rows } = await db.execute<{ administrator: boolean; roles: Record<string, Role> }>(sql`
    select p.is_administrator as administrator,
      (select coalesce(jsonb_object_agg(m.collection_id, m.role), '{}') from collection_people m where m.person_id = p.id) as roles
    from people p where p.id = ${personId} and p.ended_at is null`);
  const [row] = rows;
  if (!row) return { isAdministrator: false, roles: new Map() };
  const roles = Object.entries(row.roles).map(([id, role]): [number, Role] => [Number(id), role]);
  return { isAdministrator: row.administrator, roles: new Map(roles) };
}

/** Whether a person may change a file now: they are a librarian of its collection, or an administrator. */
export async function isLibrarianOf(db: Queryable, personId: number, copyId: number): Promise<boolean> {
  const { rows } = await db.execute(sql`
    select from people p where p.id = ${personId} and p.ended_at is null and (p.is_administrator or exists (
      select from copies c join folders w on w.id = c.read_folder_id
      join collection_people m on m.collection_id = w.collection_id and m.person_id = p.id and m.role = 'librarian' where c.id = ${copyId}))`);
  return rows.length > 0;
}
