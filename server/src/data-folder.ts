import os from 'node:os';
import path from 'node:path';

/** Where Flagstone keeps its database and demo when --data does not say: for root a folder that PostgreSQL's account can enter. */
export function defaultDataFolder(): string {
  if (process.env['FLAGSTONE_DATA']) return process.env['FLAGSTONE_DATA'];
  if (process.getuid?.() === 0) return '/var/lib/flagstone';
  return path.join(process.env['XDG_DATA_HOME'] ?? path.join(os.homedir(), '.local', 'share'), 'flagstone');
}
