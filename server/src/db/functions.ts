import { createHash } from 'node:crypto';
import { readdir, readFile } from 'node:fs/promises';
import path from 'node:path';
import { fileURLToPath } from 'node:url';
import type pg from 'pg';

/** The functions of the database, one home each: `functions/NAME.sql` holds all that is called NAME. */
export const FUNCTIONS_FOLDER = fileURLToPath(new URL('./functions', import.meta.url));

/** PostgreSQL's undefined_object: a function takes rows of a table that is not there yet. */
const UNDEFINED_OBJECT = '42704';

/** Kept where the application's own role has no rights. */
const APPLIED_TABLE = `
  create schema if not exists drizzle;
  create table if not exists drizzle.applied_functions (name text primary key, digest text not null)`;

interface FunctionFile {
  name: string;
  text: string;
  digest: string;
}

/** The files of a folder of functions, by name. */
export async function functionFiles(folder = FUNCTIONS_FOLDER): Promise<FunctionFile[]> {
  const names = (await readdir(folder)).filter((file) => file.endsWith('.sql')).sort();
  return Promise.all(
    names.map(async (file) => {
      const text = await readFile(path.join(folder, file), 'utf8');
      return { name: path.basename(file, '.sql'), text, digest: createHash('sha256').update(text).digest('hex') };
    }),
  );
}

/**
 * Makes the functions that a database lacks and those whose text has changed, as its owner. Called before the migrations, whose indexes and triggers call
 * functions, and after them: what takes rows of a table that is not there yet is left for the second time. Returns the names of those that are left.
 */
export async function applyFunctions(owner: pg.Client, files: readonly FunctionFile[]): Promise<string[]> {
  await owner.query(APPLIED_TABLE);
  const { rows } = await owner.query<{ name: string; digest: string }>(
    'select name, digest from drizzle.applied_functions',
  );
  const applied = new Map(rows.map(({ name, digest }) => [name, digest]));
  const left: string[] = [];
  for (const file of files)
    if (applied.get(file.name) !== file.digest && !(await apply(owner, file))) left.push(file.name);
  return left;
}

/** A function and the note that it is applied, together or not at all; false when a table that it needs is not there. */
async function apply(owner: pg.Client, { name, text, digest }: FunctionFile): Promise<boolean> {
  await owner.query('begin');
  try {
    // What a function calls or reads may come after it.
    await owner.query('set local check_function_bodies = off');
    await owner.query(text);
    await owner.query(
      `insert into drizzle.applied_functions (name, digest) values ($1, $2) on conflict (name) do update set digest = excluded.digest`,
      [name, digest],
    );
    await owner.query('commit');
    return true;
  } catch (error) {
    await owner.query('rollback');
    if ((error as { code?: string }).code === UNDEFINED_OBJECT) return false;
    throw new Error(`The function ${name} cannot be made: ${(error as Error).message}`, { cause: error });
  }
}
