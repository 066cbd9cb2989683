import { describe, expect, it } from '@jest/globals';
import { fileURLToPath } from 'node:url';
import { reachOf, type ReachOptions } from './reach.ts';

const HERE = fileURLToPath(import.meta.url);
const TLS = { tlsCert: HERE, tlsKey: HERE };

describe('how the server is reached', () => {
  it('is loopback alone when nothing is said', () => {
    expect(reachOf({})).toEqual({
      host: '127.0.0.1',
      publicUrl: undefined,
      names: new Set(),
      proxies: [],
      tls: undefined,
      warning: '',
    });
  });

  it('is beyond with TLS, behind a proxy, or when told so aloud', () => {
    const https = reachOf({ host: '0.0.0.0', publicUrls: ['https://effects.example:4780'], ...TLS });
    expect([...https.names]).toEqual(['effects.example']);
    expect([https.tls?.key.includes('reachOf'), https.warning]).toEqual([true, '']);
    const behind = reachOf({
      host: '10.0.0.7',
      behindProxy: '10.0.0.2, fd00::/64',
      publicUrls: ['https://effects.example'],
    });
    expect([behind.proxies, [...behind.names], behind.warning]).toEqual([
      ['10.0.0.2', 'fd00::/64'],
      ['effects.example', '10.0.0.7'],
      '',
    ]);
    const plain = reachOf({ host: 'fd00::7', plainHttp: true });
    expect([[...plain.names], plain.warning]).toEqual([['[fd00::7]'], expect.stringContaining('can read passwords')]);
  });

  it.each<[string, ReachOptions, RegExp]>([
    ['beyond loopback without TLS', { host: '192.168.1.4' }, /--plain-http, with which passwords cross the network/],
    ['all addresses without a name', { host: '0.0.0.0', ...TLS }, /needs --public-url/],
    ['a host that is a name', { host: 'effects.example', ...TLS }, /--host needs an IP address/],
    ['a certificate without a key', { tlsCert: HERE }, /go together/],
    [
      'a key that is not there',
      { tlsCert: HERE, tlsKey: '/nowhere/key.pem' },
      /--tls-key \/nowhere\/key\.pem cannot be read: ENOENT/,
    ],
    ['a proxy by name', { behindProxy: 'proxy.example' }, /not “proxy\.example”/],
    ['a proxy that is everybody', { behindProxy: '0.0.0.0/0' }, /not “0\.0\.0\.0\/0”/],
    ['no proxy', { behindProxy: ' ' }, /needs the addresses/],
    ['an address with a path', { publicUrls: ['https://effects.example/sub/'] }, /--public-url needs/],
    ['an address without a scheme', { publicUrls: ['effects.example'] }, /--public-url needs/],
  ])('is refused for %s', (_, options, message) => {
    expect(() => reachOf(options)).toThrow(message);
  });
});
