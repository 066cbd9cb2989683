import { createInterface } from 'node:readline';
import os from 'node:os';
import path from 'node:path';
import { fileURLToPath } from 'node:url';

/** Wrong usage of the command: exit status 2 and this message. */
export class UsageError extends Error {}

/** Where Flagstone's own programs are started from, so that tsx is found. */
export const PROJECT_FOLDER = fileURLToPath(new URL('../../../', import.meta.url));

/** Where Flagstone keeps its database and demo when --data does not say: for root a folder that PostgreSQL's account can enter. */
export function defaultDataFolder(): string {
  if (process.env['FLAGSTONE_DATA']) return process.env['FLAGSTONE_DATA'];
  if (process.getuid?.() === 0) return '/var/lib/flagstone';
  return path.join(process.env['XDG_DATA_HOME'] ?? path.join(os.homedir(), '.local', 'share'), 'flagstone');
}

/** The lines of standard input that are not empty. */
export async function linesOfInput(): Promise<string[]> {
  const lines: string[] = [];
  for await (const line of createInterface({ input: process.stdin, crlfDelay: Infinity }))
    if (line !== '') lines.push(line);
  return lines;
}
