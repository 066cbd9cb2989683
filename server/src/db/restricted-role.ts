import { createHmac } from 'node:crypto';
import pg from 'pg';
import { JOB_QUEUE_SCHEMA } from './job-queue-tables.ts';

/** The role that the application works as: it reads and writes rows, and can neither change tables nor read files of the database's machine. */
const ROLE = 'flagstone_application';

/**
 * Makes the restricted role and gives it its rights, as the owner of the database. Returns the address by which the application connects; the owner's own, where
 * the owner may make no roles (then a person who runs the database restricted it already) or has no password, from which that of the role follows.
 */
export async function restrictedAddress(owner: pg.Client, ownerAddress: string): Promise<string> {
  const address = new URL(ownerAddress);
  if (address.password === '') return ownerAddress;
  const { rows } = await owner.query<{ may: boolean; database: string }>(
    'select rolsuper or rolcreaterole as may, current_database() as database from pg_roles where rolname = current_user',
  );
  const [{ may, database } = { may: false, database: '' }] = rows;
  if (!may) return ownerAddress;
  // No secret of its own to be kept: every process that knows the owner's password knows it, on whatever machine.
  const password = createHmac('sha256', decodeURIComponent(address.password)).update(ROLE).digest('hex');
  const restricted = new URL(ownerAddress);
  restricted.username = ROLE;
  restricted.password = password;
  await makeRole(owner, password);
  const name = pg.escapeIdentifier(database);
  await owner.query(`
    grant connect, temporary on database ${name} to ${ROLE};
    grant usage on schema public, ${JOB_QUEUE_SCHEMA} to ${ROLE};
    grant select, insert, update, delete on all tables in schema public, ${JOB_QUEUE_SCHEMA} to ${ROLE};
    grant usage, select on all sequences in schema public, ${JOB_QUEUE_SCHEMA} to ${ROLE};
    revoke update, delete, truncate on audit_log from ${ROLE}`);
  // The owner's password was changed since the role was made.
  if (!(await canConnect(restricted.href))) await owner.query(`alter role ${ROLE} password '${password}'`);
  return restricted.href;
}

/** Roles belong to the whole server: two processes with databases of their own may make it at once. */
async function makeRole(owner: pg.Client, password: string): Promise<void> {
  await owner.query(`do $$ begin
    if not exists (select from pg_roles where rolname = '${ROLE}') then
      create role ${ROLE} login nosuperuser nocreatedb nocreaterole password '${password}';
    end if;
  exception when duplicate_object or unique_violation then null;
  end $$`);
}

async function canConnect(connectionString: string): Promise<boolean> {
  const client = new pg.Client({ connectionString });
  client.on('error', () => undefined);
  try {
    await client.connect();
    return true;
  } catch (error) {
    // 28P01: the password is wrong. Everything else is told by whoever connects next.
    if ((error as { code?: string }).code === '28P01') return false;
    throw error;
  } finally {
    await client.end();
  }
}
