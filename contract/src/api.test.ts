import { describe, expect, it } from '@jest/globals';
import { api, rawApi } from './api.ts';

const all = Object.entries({ ...api, ...rawApi });

describe('the contract', () => {
  it('joins the endpoints of all resources without two of one name or one address', () => {
    expect(all.length).toBe(Object.keys(api).length + Object.keys(rawApi).length);
    const addresses = all.map(([, { method, path }]) => `${method} ${path.replace(/:\w+/g, ':')}`);
    expect(addresses.filter((each, at) => addresses.indexOf(each) !== at)).toEqual([]);
  });

  it('asks for nobody where somebody signs in or out, and whether the server is well', () => {
    expect(all.filter(([, { needs }]) => needs === 'nobody').map(([name]) => name)).toEqual([
      'signIn',
      'signOut',
      'listDemoPeople',
      'signInDemo',
      'getLink',
      'takeLink',
      'beginPasskeySignIn',
      'signInByPasskey',
      'getHealth',
    ]);
  });

  it('keeps in the audit log what runs plans, takes sounds or records out, removes and sets up', () => {
    const kept = all.filter(([, { audit }]) => audit !== undefined);
    expect(kept.map(([name]) => name)).toEqual(
      expect.arrayContaining([
        'runPlan',
        'undoPlan',
        'copyOutToFolder',
        'downloadZip',
        'exportTable',
        'removePullList',
      ]),
    );
    // The log says what was asked before it is done, so that it is there whatever happens then.
    for (const [name, { needs }] of kept) expect([name, needs]).not.toEqual([name, 'nobody']);
  });

  it('lets nothing be changed by what another site can send', () => {
    // A form can set no header, which all others but GET need: this one answers with a file and changes nothing.
    const forms = Object.entries(rawApi).filter(([, { body }]) => body?.as === 'form');
    expect(forms.map(([name]) => name)).toEqual(['exportTable']);
  });

  it('names every parameter of an address in its schema', () => {
    for (const [name, { path, params }] of all) {
      const given = Object.fromEntries([...path.matchAll(/:(\w+)/g)].map(([, key = '']) => [key, undefined]));
      const told = params.safeParse({}).error?.issues.map(({ path: [key] }) => String(key)) ?? [];
      expect([name, told]).toEqual([name, Object.keys(given)]);
    }
  });
});
