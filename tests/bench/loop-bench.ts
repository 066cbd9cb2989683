import { spawnSync } from 'node:child_process';
import { fileURLToPath } from 'node:url';

/**
 * `bench loop [COUNT]`: the longest stretch in which the server's main thread answers nobody, during every kind of job on so many files (20,000). It is
 * the test of the same, with more files and a table.
 */
const PROJECT = fileURLToPath(new URL('../..', import.meta.url));
const { status } = spawnSync(
  process.execPath,
  [
    '--experimental-vm-modules',
    '--no-warnings',
    'node_modules/jest/bin/jest.js',
    '--selectProjects',
    'load',
    '--runInBand',
    'tests/main-thread/main-thread.test.ts',
  ],
  {
    cwd: PROJECT,
    stdio: 'inherit',
    env: { ...process.env, FLAGSTONE_LOOP_FILES: process.argv[2] ?? '20000', FLAGSTONE_LOG: 'fatal' },
  },
);
process.exitCode = status ?? 1;
