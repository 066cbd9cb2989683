import { existsSync } from 'node:fs';
import { mkdir, readdir } from 'node:fs/promises';
import { createServer } from 'node:http';
import { createServer as createTlsServer } from 'node:https';
import { createServer as createProbe, type AddressInfo } from 'node:net';
import path from 'node:path';
import { parseArgs } from 'node:util';
import { AppError } from '@flagstone/core/errors';
import pino from 'pino';
import type { AppContext } from '../app-context.ts';
import { openApplication } from '../application.ts';
import { checkDatabase, withoutPassword } from '../db/check-database.ts';
import { startLocalPostgres, type LocalPostgres } from '../db/local-postgres.ts';
import { httpServer } from '../http-server.ts';
import { DrivePresence } from '../drives/drive-presence.ts';
import { addDrive } from '../drives/drives.ts';
import { addDemoPeople } from '../people/known-people.ts';
import { firstLink } from '../people/sign-in-links.ts';
import { giveDemoPlaces } from './demo-places.ts';
import { runDemoProgram } from './demo-program.ts';
import { dropRights } from './drop-rights.ts';
import { defaultDataFolder } from '../data-folder.ts';
import { reachOf, type ListenOptions } from './reach.ts';
import { rootsOf, untilStopped, UsageError } from './usage.ts';

const DEFAULT_PORT = 4780;

/** `start`: database, demo collection, web server; runs until it is told to stop. */
export async function start(args: string[]): Promise<number> {
  const { values } = parseArgs({
    args,
    options: {
      port: { type: 'string' },
      data: { type: 'string' },
      database: { type: 'string' },
      empty: { type: 'boolean', default: false },
      root: { type: 'string', multiple: true },
      host: { type: 'string' },
      'public-url': { type: 'string', multiple: true },
      'tls-cert': { type: 'string' },
      'tls-key': { type: 'string' },
      'behind-proxy': { type: 'string' },
      'plain-http': { type: 'boolean', default: false },
    },
  });
  const port = Number(values.port ?? DEFAULT_PORT);
  if (!Number.isInteger(port) || port < 0 || port > 65535)
    throw new UsageError(`--port needs a number from 0 to 65535, not “${values.port}”`);
  const dataFolder = path.resolve(values.data ?? defaultDataFolder());
  // Before rights are dropped: the key may be root's alone.
  const reach = reachOf({
    host: values.host,
    publicUrls: values['public-url'],
    tlsCert: values['tls-cert'],
    tlsKey: values['tls-key'],
    behindProxy: values['behind-proxy'],
    plainHttp: values['plain-http'],
  });
  if (!values.empty && (reach.host !== '127.0.0.1' || reach.proxies.length > 0 || reach.publicUrl))
    throw new UsageError('the demo, in which a click signs in, answers this computer alone: add --empty');
  const rights = dropRights(dataFolder);
  await mkdir(dataFolder, { recursive: true });
  const log = pino({ level: process.env['FLAGSTONE_LOG'] ?? 'warn' }, pino.destination(2));

  await refuseUsedPort(port, reach.host);
  const given = values.database ?? process.env['FLAGSTONE_DATABASE_URL'];
  const demoFolder = path.join(dataFolder, 'demo');
  const demoDrives = path.join(demoFolder, 'drives');
  const [postgres] = await Promise.all([
    given === undefined ? startLocalPostgres(dataFolder, (what) => log.warn(what)) : databaseThatIsThere(given),
    values.empty ? undefined : makeDemo(demoFolder),
  ]);
  try {
    const roots = rootsOf(values.root);
    if (existsSync(demoDrives) && !values.empty) roots.push(demoDrives);
    const application = await openApplication(postgres.connectionString, roots, log);
    const presence = new DrivePresence(application.context);
    try {
      if (!values.empty) application.context.demoPeople = await addDemoPeople(application.context.db);
      if (!values.empty)
        for (const name of await readdir(demoDrives)) await addDrive(application.context, path.join(demoDrives, name));
      const [first] = application.context.demoPeople;
      if (first) await giveDemoPlaces(application.context, demoDrives, first.id);
      await presence.start();
      const server = httpServer(application.context, reach);
      const listening = reach.tls ? createTlsServer(reach.tls, server) : createServer(server);
      listening.listen(port, reach.host);
      await new Promise((resolve, reject) => listening.once('listening', resolve).once('error', reject));
      const place = addressOf(reach, listening.address() as AddressInfo);
      const where = given === undefined ? dataFolder : withoutPassword(given);
      process.stdout.write(`Flagstone runs at ${place}/ with its data in ${where}\n`);
      if (reach.warning !== '') process.stdout.write(`${reach.warning}\n`);
      process.stdout.write(`Allowed roots: ${roots.join(', ') || 'none (add folders with --root DIR)'}\n`);
      if (rights !== '') process.stdout.write(`${rights}\n`);
      process.stdout.write(await howToSignIn(application.context, place));
      // Before it is said: whoever reads it may stop it at once.
      const stopped = untilStopped();
      process.stdout.write('Stop with Ctrl+C.\n');
      await stopped;
      listening.close();
      listening.closeAllConnections();
    } finally {
      await presence.close();
      await application.close();
    }
  } finally {
    await postgres.leave();
  }
  return 0;
}

/** A PostgreSQL that somebody else looks after: nothing is started, and nothing stopped. */
async function databaseThatIsThere(address: string): Promise<Pick<LocalPostgres, 'connectionString' | 'leave'>> {
  await checkDatabase(address);
  return { connectionString: address, leave: () => Promise.resolve() };
}

/** Where people open it. */
function addressOf({ publicUrl, tls, host }: ListenOptions, { port, family }: AddressInfo): string {
  if (publicUrl) return publicUrl.origin;
  return `${tls ? 'https' : 'http'}://${family === 'IPv6' ? `[${host}]` : host}:${port}`;
}

/** What somebody who starts it has to know to get in: the people of the demo, or the link that makes the first administrator. */
async function howToSignIn({ db, demoPeople }: AppContext, address: string): Promise<string> {
  if (demoPeople.length > 0)
    return `Sign in by a click, in this demo: ${demoPeople.map(({ name, does }) => `${name} (${does})`).join(', ')}.\n`;
  const secret = await firstLink(db);
  if (secret === undefined) return '';
  return `Nobody can sign in yet. This link makes the first administrator, once and within three days:\n  ${address}/join#${secret}\n`;
}

/** Throws UNAVAILABLE when somebody listens on a port already: said before anything is started. */
async function refuseUsedPort(port: number, host: string): Promise<void> {
  const probe = createProbe();
  await new Promise<void>((resolve, reject) => {
    probe.once('error', (cause: NodeJS.ErrnoException) => {
      const why =
        cause.code === 'EADDRINUSE' ? 'is in use: another Flagstone may run there' : `cannot be used (${cause.code})`;
      reject(new AppError('UNAVAILABLE', `Port ${port} ${why}. Choose another one with --port.`, { cause }));
    });
    probe.listen(port, host, resolve);
  });
  await new Promise((resolve) => probe.close(resolve));
}

/** Makes the demo's drives unless they are there. */
async function makeDemo(folder: string): Promise<void> {
  if (existsSync(path.join(folder, 'drives'))) return;
  process.stdout.write('Making the demo collection, once, in about half a minute\n');
  await runDemoProgram(folder);
}
