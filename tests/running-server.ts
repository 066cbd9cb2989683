import { spawn, type ChildProcess } from 'node:child_process';
import path from 'node:path';
import { fileURLToPath } from 'node:url';

const PROJECT = fileURLToPath(new URL('..', import.meta.url));

/** The real server as a process of its own, on an empty data folder and one root, for tests that talk to it from outside. */
export class RunningServer {
  private readonly dataFolder: string;
  private readonly root: string;
  private process: ChildProcess | undefined;
  /** Where it answers, as it printed at start. */
  address = '';

  constructor(dataFolder: string, root: string) {
    this.dataFolder = dataFolder;
    this.root = root;
  }

  async start(): Promise<void> {
    const main = path.join('server', 'src', 'main.ts');
    const args = [
      '--import',
      'tsx',
      main,
      'start',
      '--empty',
      '--port',
      '0',
      '--data',
      this.dataFolder,
      '--root',
      this.root,
    ];
    const server = spawn(process.execPath, args, {
      cwd: PROJECT,
      env: { FLAGSTONE_LOG: 'error', ...process.env, NODE_OPTIONS: '', FLAGSTONE_CWD: PROJECT },
      stdio: ['ignore', 'pipe', 'inherit'],
    });
    this.process = server;
    this.address = await new Promise((resolve, reject) => {
      let said = '';
      server.stdout.on('data', (text: Buffer) => {
        said += text.toString();
        const found = /http:\/\/127\.0\.0\.1:\d+/.exec(said);
        if (found) resolve(found[0]);
      });
      server.once('exit', (code) => reject(new Error(`the server ended with ${code}: ${said}`)));
    });
  }

  get pid(): number | undefined {
    return this.process?.pid;
  }

  /** Ends it in order with SIGTERM, or at once with SIGKILL, and waits until it has ended. */
  async end(signal: 'SIGTERM' | 'SIGKILL' = 'SIGTERM'): Promise<void> {
    const server = this.process;
    if (!server || server.exitCode !== null || server.signalCode !== null) return;
    const ended = new Promise((resolve) => server.once('exit', resolve));
    server.kill(signal);
    await ended;
  }
}
