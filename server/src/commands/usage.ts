import { createInterface } from 'node:readline';
import path from 'node:path';
import { fileURLToPath } from 'node:url';

/** Wrong usage of the command: exit status 2 and this message. */
export class UsageError extends Error {}

/** The folder of the whole project. */
export const PROJECT_FOLDER = fileURLToPath(new URL('../../../', import.meta.url));

/** The lines of standard input that are not empty. */
export async function linesOfInput(): Promise<string[]> {
  const lines: string[] = [];
  for await (const line of createInterface({ input: process.stdin, crlfDelay: Infinity }))
    if (line !== '') lines.push(line);
  return lines;
}

/** The allowed roots, given by --root and by FLAGSTONE_ROOTS=DIR:DIR, as absolute paths. */
export function rootsOf(given: readonly string[] = []): string[] {
  const fromEnvironment = (process.env['FLAGSTONE_ROOTS'] ?? '').split(':').filter((root) => root !== '');
  return [...given, ...fromEnvironment].map((root) => path.resolve(root));
}

/** A process that was asked to end does so within this, whatever hangs. */
const END_WITHIN_MS = 9000;

/** Waits until the process is asked to end. What is done after that has nine seconds; then the process ends all the same, with status 1. */
export async function untilStopped(): Promise<void> {
  await new Promise<void>((resolve) => process.once('SIGINT', () => resolve()).once('SIGTERM', () => resolve()));
  setTimeout(() => {
    process.stderr.write('Not everything could be ended in order; what was under way is settled at the next start.\n');
    process.exit(1);
  }, END_WITHIN_MS).unref();
}
