import pg from 'pg';

/** The name of the database with all tables that start-postgres.ts makes: laying tables out takes seconds, copying their files does not. */
export const TEMPLATE = 'flagstone_template';

/** Makes a database in the server of the test run and returns its owner's address: a copy of the one with all tables, or an empty one. */
export async function newDatabase(name: string, kind: 'laid out' | 'empty' = 'laid out'): Promise<string> {
  const server = process.env['FLAGSTONE_TEST_DATABASE'] ?? '';
  const admin = new pg.Client(server);
  await admin.connect();
  await admin.query(`create database ${name} template ${kind === 'empty' ? 'template1' : TEMPLATE}`);
  await admin.end();
  return server.replace(/\/[^/]+$/, `/${name}`);
}
