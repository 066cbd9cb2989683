import { spawn } from 'node:child_process';
import { programPath } from '../workers/programs.ts';
import { PROJECT_FOLDER } from './usage.ts';

/** Runs the program that makes the demo, or does something to it. It is a program of its own: the server knows nothing of it but the folder. */
export function runDemoProgram(...args: string[]): Promise<void> {
  return new Promise((resolve, reject) => {
    const child = spawn(process.execPath, [programPath('make-demo'), ...args], {
      stdio: 'inherit',
      cwd: PROJECT_FOLDER,
    });
    child
      .once('error', reject)
      .once('exit', (code) =>
        code === 0 ? resolve() : reject(new Error(`the program of the demo ended with ${code}`)),
      );
  });
}
