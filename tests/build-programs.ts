import { execFile } from 'node:child_process';
import { fileURLToPath } from 'node:url';
import { promisify } from 'node:util';

const PROJECT = fileURLToPath(new URL('..', import.meta.url));

/** Bundles the programs that tests start, as they are now: workers and commands are run from their bundle also here. */
export default async function buildPrograms(): Promise<void> {
  await promisify(execFile)('npm', ['run', '--silent', 'build', '-w', 'server'], { cwd: PROJECT });
}
