import { createHash } from 'node:crypto';
import { sql, type SQL } from 'drizzle-orm';
import pg from 'pg';

/** Stands in a statement whose plan is worth keeping. */
const MARK = '/* kept */';

/**
 * Before a long statement that is always the same but for its values: each connection has PostgreSQL read and plan it once. Never for one that is put together
 * from conditions, of which there would be more and more.
 */
export const PREPARED: SQL = sql.raw(MARK);

/** A connection that gives such statements a name, by which PostgreSQL keeps them; drizzle names none that is written by hand. */
export class PreparingClient extends pg.Client {
  // The signature of pg.Client has nine forms; all but the first argument are handed on as they are.
  override query(...args: never[]): never {
    const [config, ...rest] = args as unknown[];
    const named = isStatement(config) && config.text.includes(MARK) ? { ...config, name: nameOf(config.text) } : config;
    return (super.query as (...all: unknown[]) => never).call(this, named, ...rest);
  }
}

function isStatement(config: unknown): config is pg.QueryConfig {
  return typeof config === 'object' && config !== null && typeof (config as { text?: unknown }).text === 'string';
}

const names = new Map<string, string>();

function nameOf(text: string): string {
  const known = names.get(text);
  if (known !== undefined) return known;
  const name = `kept ${createHash('sha256').update(text).digest('hex').slice(0, 32)}`;
  names.set(text, name);
  return name;
}
