import { readFileSync } from 'node:fs';
import { isIP } from 'node:net';
import type { Reach } from '../http-server.ts';
import { UsageError } from './usage.ts';

/** What `start` was told of how it is reached. */
export interface ReachOptions {
  host?: string | undefined;
  publicUrls?: readonly string[] | undefined;
  tlsCert?: string | undefined;
  tlsKey?: string | undefined;
  behindProxy?: string | undefined;
  plainHttp?: boolean | undefined;
}

export interface ListenOptions extends Reach {
  host: string;
  /** How people write its address, first of all; undefined when nothing was said. */
  publicUrl: URL | undefined;
  tls: { cert: string; key: string } | undefined;
  /** What has to be said aloud at start; empty for nothing. */
  warning: string;
}

const LOOPBACK = '127.0.0.1';
const isLoopback = (host: string): boolean => host === 'localhost' || host === '::1' || host.startsWith('127.');

/**
 * How the server listens and by which names it answers. Throws UsageError for what does not go together: beyond loopback it wants TLS of its own, a proxy that is
 * named, or to be told aloud that it shall do without.
 */
export function reachOf(given: ReachOptions): ListenOptions {
  const host = given.host ?? LOOPBACK;
  if (isIP(host) === 0 && host !== 'localhost')
    throw new UsageError(`--host needs an IP address of this machine (0.0.0.0 for all of them), not “${host}”`);
  const urls = (given.publicUrls ?? []).map(urlOf);
  if ((given.tlsCert === undefined) !== (given.tlsKey === undefined))
    throw new UsageError('--tls-cert and --tls-key go together');
  const proxies = (given.behindProxy ?? '').split(',').flatMap((part) => (part.trim() === '' ? [] : [part.trim()]));
  for (const proxy of proxies) refuseNoAddress(proxy);
  if (given.behindProxy !== undefined && proxies.length === 0)
    throw new UsageError('--behind-proxy needs the addresses of the proxy, with commas between them');
  const isBeyond = !isLoopback(host);
  const isPlain = given.tlsCert === undefined && proxies.length === 0;
  if (isBeyond && isPlain && given.plainHttp !== true)
    throw new UsageError(
      `--host ${host} is reached from other machines: give --tls-cert and --tls-key, or --behind-proxy ADDRESSES where a proxy has TLS, or say --plain-http, with which passwords cross the network as they are`,
    );
  if (isBeyond && urls.length === 0 && isWildcard(host))
    throw new UsageError(`--host ${host} needs --public-url, the address that people open: no other name is answered`);
  return {
    host,
    publicUrl: urls[0],
    names: new Set([
      ...urls.map(({ hostname }) => hostname),
      ...(isBeyond && !isWildcard(host) ? [bracketed(host)] : []),
    ]),
    proxies,
    tls:
      given.tlsCert === undefined || given.tlsKey === undefined
        ? undefined
        : { cert: textOf('--tls-cert', given.tlsCert), key: textOf('--tls-key', given.tlsKey) },
    warning:
      isBeyond && isPlain
        ? 'No TLS: whoever can listen to this network can read passwords and sessions. Use it where nobody else is.'
        : '',
  };
}

const isWildcard = (host: string): boolean => ['0.0.0.0', '::'].includes(host);
const bracketed = (host: string): string => (isIP(host) === 6 ? `[${host}]` : host);

function urlOf(text: string): URL {
  const url = URL.canParse(text) ? new URL(text) : undefined;
  if (!url || !['http:', 'https:'].includes(url.protocol) || url.pathname !== '/' || url.search !== '')
    throw new UsageError(`--public-url needs an address as https://effects.example:4780, not “${text}”`);
  return url;
}

function refuseNoAddress(text: string): void {
  const [address = '', bits, ...more] = text.split('/');
  const most = isIP(address) === 6 ? 128 : 32;
  const isRange = bits === undefined || (/^\d{1,3}$/.test(bits) && Number(bits) > 0 && Number(bits) <= most);
  if (isIP(address) === 0 || !isRange || more.length > 0)
    throw new UsageError(`--behind-proxy needs addresses as 10.0.0.2 or 10.0.0.0/24, not “${text}”`);
}

function textOf(option: string, file: string): string {
  try {
    return readFileSync(file, 'utf8');
  } catch (error) {
    throw new UsageError(`${option} ${file} cannot be read: ${(error as NodeJS.ErrnoException).code}`);
  }
}
