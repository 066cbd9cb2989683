import { spawn, type ChildProcess } from 'node:child_process';
import { fileURLToPath } from 'node:url';
import { programPath } from '@flagstone/server/workers/programs';
import { headersOf, sessionOf } from './signed-in.ts';

const PASSWORD = 'geese under the mill wheel';
const PROJECT = fileURLToPath(new URL('..', import.meta.url));

/** The real server as a process of its own, on an empty data folder and one root, for tests that talk to it from outside. */
export class RunningServer {
  private readonly dataFolder: string;
  private readonly root: string;
  private process: ChildProcess | undefined;
  /** Where it answers, as it printed at start. */
  address = '';
  /** Of the session of its first administrator, who is signed in by the link that the first start prints. */
  headers: Record<string, string> = {};
  /** The secret of the link that makes the first administrator, if the last start printed one. */
  link: string | undefined;

  constructor(dataFolder: string, root: string) {
    this.dataFolder = dataFolder;
    this.root = root;
  }

  /** Starts it; unless it is told not to, it takes the link of the first start, if one is printed. */
  async start({ takesLink = true } = {}): Promise<void> {
    const args = [
      programPath('main'),
      'start',
      '--empty',
      '--port',
      '0',
      '--data',
      this.dataFolder,
      '--root',
      this.root,
    ];
    const server = startProgram(args);
    this.process = server;
    const said = await saying(server, 'Stop with Ctrl+C');
    this.address = /http:\/\/127\.0\.0\.1:\d+/.exec(said)?.[0] ?? '';
    const link = /\/join#([\w-]+)/.exec(said)?.[1];
    this.link = link;
    if (link !== undefined && takesLink) this.headers = await this.takeLink(link, 'Orla Venn', 'orla');
  }

  /** Signs a person in by a link, with a new password; returns the headers of the session. */
  async takeLink(secret: string, name = '', account = ''): Promise<Record<string, string>> {
    const answer = await fetch(`${this.address}/api/sign-in-link/take`, {
      method: 'POST',
      headers: { 'Content-Type': 'application/json' },
      body: JSON.stringify({ secret, name, account, password: PASSWORD }),
    });
    return headersOf(sessionOf(answer));
  }

  /** Adds a person and signs them in; returns the headers of their session. */
  async addPerson(name: string, account: string): Promise<Record<string, string>> {
    const answer = await fetch(`${this.address}/api/accounts`, {
      method: 'POST',
      headers: { ...this.headers, 'Content-Type': 'application/json' },
      body: JSON.stringify({ name, account, roles: [{ collectionId: 1, role: 'librarian' }] }),
    });
    const { secret } = (await answer.json()) as { secret: string };
    return this.takeLink(secret);
  }

  get pid(): number | undefined {
    return this.process?.pid;
  }

  /** Ends it in order with SIGTERM, or at once with SIGKILL, and waits until it has ended. */
  end(signal: 'SIGTERM' | 'SIGKILL' = 'SIGTERM'): Promise<void> {
    return endProcess(this.process, signal);
  }
}

/** One more process that takes the jobs of a server that runs. */
export class RunningWorker {
  private readonly args: string[];
  private process: ChildProcess | undefined;

  constructor(dataFolder: string, root: string) {
    this.args = [programPath('main'), 'worker', '--data', dataFolder, '--root', root];
  }

  async start(): Promise<void> {
    const worker = startProgram(this.args);
    this.process = worker;
    await saying(worker, 'Taking jobs');
  }

  /** As of the server. */
  end(signal: 'SIGTERM' | 'SIGKILL' = 'SIGTERM'): Promise<void> {
    return endProcess(this.process, signal);
  }
}

type Program = ReturnType<typeof startProgram>;

function startProgram(args: string[]) {
  return spawn(process.execPath, args, {
    cwd: PROJECT,
    env: { FLAGSTONE_LOG: 'error', ...process.env, NODE_OPTIONS: '', FLAGSTONE_CWD: PROJECT },
    stdio: ['ignore', 'pipe', 'inherit'],
  });
}

/** All that a program said until it said some words. Rejects when it ends before. */
function saying(program: Program, words: string): Promise<string> {
  return new Promise((resolve, reject) => {
    let text = '';
    program.stdout.on('data', (part: Buffer) => {
      text += part.toString();
      if (text.includes(words)) resolve(text);
    });
    program.once('exit', (code) => reject(new Error(`${program.spawnargs[2]} ended with ${code}: ${text}`)));
  });
}

async function endProcess(program: ChildProcess | undefined, signal: 'SIGTERM' | 'SIGKILL'): Promise<void> {
  if (!program || program.exitCode !== null || program.signalCode !== null) return;
  const ended = new Promise((resolve) => program.once('exit', resolve));
  program.kill(signal);
  await ended;
}
