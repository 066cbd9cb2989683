import type { Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { Writable } from 'node:stream';
import { afterAll, beforeAll, beforeEach, describe, expect, it } from '@jest/globals';
import type { ApiToken, SessionSeen } from '@flagstone/contract/people';
import { httpServer } from '@flagstone/server/http-server';
import { firstLink } from '@flagstone/server/people/sign-in-links';
import { sql } from 'drizzle-orm';
import pg from 'pg';
import pino from 'pino';
import { headersOf, sessionOf, signedInAs } from '../signed-in.ts';
import { TestApplication } from './test-application.ts';

const PASSWORD = 'geese under the mill wheel';
const CHOSEN = 'a kettle in the lock house';

let app: TestApplication;
let server: Server;
let base = '';
let logged = '';
beforeAll(async () => {
  app = await TestApplication.open();
  const lines = new Writable({ write: (chunk: Buffer, _, done) => ((logged += chunk.toString()), done()) });
  server = httpServer({ ...app.context, log: pino({ level: 'trace' }, lines) }).listen(0, '127.0.0.1');
  await new Promise((resolve) => server.once('listening', resolve));
  base = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
});
afterAll(async () => {
  server.closeAllConnections();
  server.close();
  await app.close();
});
beforeEach(() => app.context.db.execute(sql`delete from sign_in_failures`));

const send = (method: string, address: string, body?: unknown, headers: Record<string, string> = {}) =>
  fetch(`${base}/api${address}`, {
    method,
    headers: { ...(body === undefined ? {} : { 'Content-Type': 'application/json' }), ...headers },
    ...(body === undefined ? {} : { body: JSON.stringify(body) }),
  });
async function json<Answer>(answer: Response | Promise<Response>): Promise<Answer> {
  return (await (await answer).json()) as Answer;
}
const signIn = (account: string, password: string, headers: Record<string, string> = {}) =>
  send('POST', '/sign-in', { account, password }, headers);
const whoIs = async (headers: Record<string, string>): Promise<unknown> => {
  const answer = await send('GET', '/signed-in', undefined, headers);
  return answer.ok ? (await json<{ name: string }>(answer)).name : answer.status;
};
let made = 0;

/** A person with a password, and the link by which it was chosen. */
async function personWith(password: string, isAdministrator = false) {
  const account = `weaver${++made}`;
  const added = { name: `Weaver ${made}`, account, isAdministrator };
  const { accounts, secret } = await json<{ accounts: { id: number; account: string }[]; secret: string }>(
    send('POST', '/accounts', { ...added, roles: [{ collectionId: 1, role: 'editor' }] }, signedInAs(1)),
  );
  const answer = await send('POST', '/sign-in-link/take', { secret, password });
  return {
    account,
    name: added.name,
    id: accounts.find((each) => each.account === account)?.id ?? 0,
    secret,
    headers: headersOf(sessionOf(answer)),
  };
}

describe('signing in', () => {
  it('begins a session, whose cookie no script reads and no other site sends along', async () => {
    const { account, name } = await personWith(PASSWORD);
    const answer = await signIn(account.toUpperCase(), PASSWORD);
    expect(await answer.clone().json()).toMatchObject({ name, isAdministrator: false });
    expect(answer.headers.get('set-cookie')).toMatch(
      /^flagstone-session=[\w-]{43}; Max-Age=\d+; Path=\/; Expires=[^;]+; HttpOnly; SameSite=Lax$/,
    );
    expect(await whoIs(headersOf(sessionOf(answer)))).toBe(name);
  });

  it('gives a new secret, whatever session the browser had: none can be planted', async () => {
    const { account, name } = await personWith(PASSWORD);
    const planted = 'planted-by-somebody-else';
    const answer = await signIn(account, PASSWORD, { Cookie: `flagstone-session=${planted}` });
    expect(sessionOf(answer)).not.toBe(planted);
    expect(await whoIs(headersOf(planted))).toBe(401);
    expect(await whoIs(headersOf(sessionOf(answer)))).toBe(name);
  });

  it('says the same of an unknown account and a wrong password, and begins nothing', async () => {
    const { account } = await personWith(PASSWORD);
    const answers = await Promise.all([signIn(account, 'not the one'), signIn('nobody-here', 'not the one')]);
    const [wrong, unknown] = await Promise.all(answers.map((answer) => answer.text()));
    expect(answers.map(({ status }) => status)).toEqual([403, 403]);
    expect(wrong).toBe(unknown);
    expect(answers.map(({ headers }) => headers.get('set-cookie'))).toEqual([null, null]);
  });

  it('takes the letters of a password however a keyboard writes them', async () => {
    const { account } = await personWith('Mühlgräben im Frühling');
    expect((await signIn(account, 'Mühlgräben im Frühling'.normalize('NFD'))).status).toBe(200);
    expect((await signIn(account, 'muhlgraben im fruhling')).status).toBe(403);
  });

  it('lets a few of a thousand guesses at once through, and its owner in half a minute later', async () => {
    const { account } = await personWith(PASSWORD);
    const guesses = Array.from({ length: 1000 }, (_, at) => signIn(account, `guess ${at}`));
    const statuses = (await Promise.all(guesses)).map(({ status }) => status);
    const tried = statuses.filter((status) => status === 403).length;
    // Five are free; then one more after 2, 4, 8, 16 and 30 s, as far as the thousand take so long.
    expect(tried).toBeGreaterThanOrEqual(5);
    expect(tried).toBeLessThanOrEqual(10);
    expect(statuses.filter((status) => status === 429)).toHaveLength(1000 - tried);
    const slowed = await signIn(account, PASSWORD);
    expect(slowed.status).toBe(429);
    expect(await slowed.json()).toMatchObject({ code: 'SIGN_IN_SLOWED', details: { seconds: expect.any(Number) } });
    // As if half a minute had gone by; the address has its own count.
    await app.context.db.execute(sql`update sign_in_failures set last_at = last_at - interval '31 seconds'`);
    expect((await signIn(account, PASSWORD)).status).toBe(200);
    const { rows } = await app.context.db.execute(sql`select key from sign_in_failures where key like 'account%'`);
    expect(rows).toEqual([]);
  });

  it('slows an address that tries one account after the other', async () => {
    const statuses: number[] = [];
    for (let at = 0; at < 22; at += 1) statuses.push((await signIn(`miller${at}`, 'not the one')).status);
    expect(statuses.slice(0, 20).every((status) => status === 403)).toBe(true);
    expect(statuses.slice(20)).toEqual([429, 429]);
  });

  it('is refused when the password was taken back while it was verified', async () => {
    const { account, id } = await personWith(PASSWORD);
    const resetting = new pg.Client(app.databaseAddress);
    await resetting.connect();
    // As a new link does, which has not ended yet.
    await resetting.query('begin');
    await resetting.query('update people set password_hash = null where id = $1', [id]);
    const answer = signIn(account, PASSWORD);
    const waits = async (): Promise<number> =>
      (
        await resetting.query(
          `select from pg_stat_activity where wait_event_type = 'Lock' and datname = current_database()`,
        )
      ).rowCount ?? 0;
    while ((await waits()) === 0) await new Promise((resolve) => setTimeout(resolve, 20));
    await resetting.query('commit');
    await resetting.end();
    expect((await answer).status).toBe(403);
    const { rows } = await app.context.db.execute(sql`select from sessions where person_id = ${id}`);
    // The one that the link began, and no other.
    expect(rows).toHaveLength(1);
  });

  it('makes a hash by other parameters new', async () => {
    const { account, id } = await personWith(PASSWORD);
    const { hash } = await import('@node-rs/argon2');
    const old = await hash(PASSWORD, { memoryCost: 8192, timeCost: 1, parallelism: 1 });
    const hashNow = async (): Promise<unknown> =>
      (await app.context.db.execute(sql`select password_hash from people where id = ${id}`)).rows[0]?.['password_hash'];
    // OWASP Password Storage Cheat Sheet: argon2id, 19 MiB, two rounds, one lane.
    expect(await hashNow()).toMatch(/^\$argon2id\$v=19\$m=19456,t=2,p=1\$/);
    await app.context.db.execute(sql`update people set password_hash = ${old} where id = ${id}`);
    expect((await signIn(account, PASSWORD)).status).toBe(200);
    expect(await hashNow()).toMatch(/^\$argon2id\$v=19\$m=19456,t=2,p=1\$/);
    expect((await signIn(account, PASSWORD)).status).toBe(200);
  });

  it('leaves no secret in a log, in the database or in an answer', async () => {
    const { account, secret, headers } = await personWith(PASSWORD);
    const { token } = await json<{ token: string }>(send('POST', '/tokens', { name: 'nightly', days: 3 }, headers));
    await send('GET', '/nothing-here', undefined, { ...headers, Authorization: `Bearer ${token}` });
    await signIn(account, 'a wrong password here');
    const { rows } = await app.context.db.execute(sql`
      select (select string_agg(t::text, ' ') from sessions t) || (select string_agg(t::text, ' ') from api_tokens t)
        || (select string_agg(t::text, ' ') from people t) || (select string_agg(t::text, ' ') from audit_log t)
        || coalesce((select string_agg(t::text, ' ') from sign_in_links t), '') as everything`);
    const everything = String(rows[0]?.['everything']);
    const session = headers['Cookie']?.split('=')[1] ?? '';
    for (const kept of [PASSWORD, 'a wrong password here', session, token, secret])
      expect([kept, everything.includes(kept), logged.includes(kept)]).toEqual([kept, false, false]);
    expect(await (await send('GET', '/people', undefined, headers)).text()).not.toMatch(/argon|hash/i);
  });
});

describe('a password', () => {
  it.each([
    ['of eleven letters', 'quiet geese', 'PASSWORD_REFUSED'],
    ['that everybody tries', 'iloveyou1234', 'PASSWORD_REFUSED'],
    ['of one word again and again', 'kilnkilnkilnkiln', 'PASSWORD_REFUSED'],
    ['of numbers', '29111975 0815', 'PASSWORD_REFUSED'],
    ['of the own name', 'Weaver Nine 9!', undefined],
    ['of the name of the program', 'Flagstone-2026', 'PASSWORD_REFUSED'],
    ['of 201 letters', 'ö'.repeat(201), 'BAD_REQUEST'],
    ['of a few words', 'ducks below seven locks', undefined],
    ['of signs of any script', '水車の下のガチョウたちが', undefined],
  ])('%s', async (_, password, code) => {
    const added = { name: `Potter ${++made}`, account: `potter${made}`, isAdministrator: false };
    const { secret } = await json<{ secret: string }>(send('POST', '/accounts', added, signedInAs(1)));
    const answer = await send('POST', '/sign-in-link/take', { secret, password });
    expect(answer.ok ? undefined : ((await answer.json()) as { code: string }).code).toBe(code);
    // A refused one leaves the link as it was.
    expect((await send('POST', '/sign-in-link', { secret })).ok).toBe(code !== undefined);
  });

  it('of the own names', async () => {
    const added = { name: 'Wilhelmina Thorncastle', account: 'wilhelmina', isAdministrator: false };
    const { secret } = await json<{ secret: string }>(send('POST', '/accounts', added, signedInAs(1)));
    const answer = await send('POST', '/sign-in-link/take', { secret, password: 'wilhelmina thorncastle 1' });
    expect(await answer.json()).toMatchObject({ code: 'PASSWORD_REFUSED' });
  });
});

describe('another password', () => {
  it('is taken once the one of now was said, and ends the other sessions', async () => {
    const { account, headers } = await personWith(PASSWORD);
    const other = headersOf(sessionOf(await signIn(account, PASSWORD)));
    const change = (current: string, password: string) => send('POST', '/password', { current, password }, headers);
    expect(await json(change('not the one of now', CHOSEN))).toMatchObject({ code: 'SIGN_IN_REFUSED' });
    expect(await json(change(PASSWORD, 'too short'))).toMatchObject({ code: 'PASSWORD_REFUSED' });
    expect((await signIn(account, PASSWORD)).status).toBe(200);
    const left = await json<SessionSeen[]>(change(PASSWORD, CHOSEN));
    expect(left.map(({ isThis }) => isThis)).toEqual([true]);
    while ((await whoIs(other)) !== 401) await new Promise((resolve) => setTimeout(resolve, 20));
    expect(await whoIs(headers)).not.toBe(401);
    expect((await signIn(account, PASSWORD)).status).toBe(403);
    expect((await signIn(account, CHOSEN)).status).toBe(200);
  });

  it('cannot be guessed at from a session that was left open', async () => {
    const { headers } = await personWith(PASSWORD);
    const statuses: number[] = [];
    for (let at = 0; at < 7; at += 1)
      statuses.push((await send('POST', '/password', { current: `guess ${at}`, password: CHOSEN }, headers)).status);
    expect(statuses).toEqual([403, 403, 403, 403, 403, 429, 429]);
  });
});

describe('a link to choose a password', () => {
  it('says whom it is for, and holds once, also for two who use it at once', async () => {
    const added = { name: 'Fenna Holt', account: 'fenna', isAdministrator: false };
    const { secret } = await json<{ secret: string }>(send('POST', '/accounts', added, signedInAs(1)));
    expect(await json(send('POST', '/sign-in-link', { secret }))).toEqual({
      isFirst: false,
      name: 'Fenna Holt',
      account: 'fenna',
    });
    const both = await Promise.all([
      send('POST', '/sign-in-link/take', { secret, password: PASSWORD }),
      send('POST', '/sign-in-link/take', { secret, password: CHOSEN }),
    ]);
    expect(both.map(({ status }) => status).sort()).toEqual([200, 410]);
    expect((await send('POST', '/sign-in-link', { secret })).status).toBe(410);
  });

  it('ends after three days, and when a newer one is made', async () => {
    const { id, account, headers } = await personWith(PASSWORD);
    const link = async (): Promise<string> =>
      (await json<{ secret: string }>(send('POST', `/accounts/${id}/link`, {}, signedInAs(1)))).secret;
    const [first, second] = [await link(), await link()];
    expect((await send('POST', '/sign-in-link', { secret: first })).status).toBe(410);
    // The old password and the sessions went with the first of them.
    expect(await whoIs(headers)).toBe(401);
    expect((await signIn(account, PASSWORD)).status).toBe(403);
    await app.context.db.execute(sql`update sign_in_links set ends_at = now() - interval '1 second'`);
    expect((await send('POST', '/sign-in-link/take', { secret: second, password: CHOSEN })).status).toBe(410);
  });

  it('makes the first administrator only while there is none', async () => {
    expect(await firstLink(app.context.db)).toBeUndefined();
    await app.context.db.execute(sql`update people set is_administrator = false`);
    const earlier = (await firstLink(app.context.db)) ?? '';
    const secret = (await firstLink(app.context.db)) ?? '';
    expect((await send('POST', '/sign-in-link', { secret: earlier })).status).toBe(410);
    const nameless = await send('POST', '/sign-in-link/take', { secret, password: PASSWORD });
    expect(await nameless.json()).toMatchObject({ code: 'BAD_REQUEST' });
    // Somebody who was known before there were accounts keeps what is theirs.
    await app.context.db.execute(sql`insert into people (name, initials) values ('Hester Vale', 'HV')`);
    const taken = await send('POST', '/sign-in-link/take', {
      secret,
      name: 'Hester Vale',
      account: 'hester',
      password: PASSWORD,
    });
    expect(await taken.json()).toMatchObject({ name: 'Hester Vale', isAdministrator: true });
    const { rows } = await app.context.db.execute(sql`select from people where name = 'Hester Vale'`);
    expect(rows).toHaveLength(1);
    await app.context.db.execute(sql`update people set is_administrator = true where id = 1`);
    await app.context.live.publish(app.context.db, { type: 'people' });
  });
});

describe('a session', () => {
  it('is listed where it was begun, and ended from another one', async () => {
    const { account, headers } = await personWith(PASSWORD);
    const other = headersOf(sessionOf(await signIn(account, PASSWORD, { 'User-Agent': 'a browser on the barge' })));
    const seen = await json<SessionSeen[]>(send('GET', '/sessions', undefined, headers));
    expect(seen.map(({ browser, isThis }) => [browser, isThis])).toEqual(
      expect.arrayContaining([
        ['a browser on the barge', false],
        [expect.any(String), true],
      ]),
    );
    const barge = seen.find(({ isThis }) => !isThis);
    // Nobody ends the sessions of others.
    expect((await send('DELETE', `/sessions/${barge?.id}`, undefined, signedInAs(1))).status).toBe(404);
    expect((await send('DELETE', `/sessions/${barge?.id}`, undefined, headers)).status).toBe(200);
    expect(await whoIs(other)).toBe(401);
    expect(await whoIs(headers)).not.toBe(401);
  });

  it('ends by signing out, and its stream of events with it', async () => {
    const { headers } = await personWith(PASSWORD);
    const events = await send('GET', '/events', undefined, headers);
    const reader = events.body!.getReader();
    const out = await send('POST', '/sign-out', {}, headers);
    expect(out.headers.get('set-cookie')).toMatch(/^flagstone-session=; Path=\/; Expires=Thu, 01 Jan 1970/);
    expect(await whoIs(headers)).toBe(401);
    // Read to its end, which comes by itself.
    while (!(await reader.read()).done);
    expect((await send('POST', '/sign-out', {}, headers)).status).toBe(200);
  });

  it('ends after twelve hours in which nothing was done, and after seven days', async () => {
    for (const [column, interval] of [
      ['seen_at', '12 hours 1 minute'],
      ['ends_at', '7 days 1 minute'],
    ]) {
      const { headers, id } = await personWith(PASSWORD);
      expect(await whoIs(headers)).not.toBe(401);
      await app.context.db.execute(
        sql`update sessions set ${sql.raw(column ?? '')} = ${sql.raw(column ?? '')} - ${interval}::interval where person_id = ${id}`,
      );
      await app.context.live.publish(app.context.db, { type: 'people' });
      while ((await whoIs(headers)) !== 401) await new Promise((resolve) => setTimeout(resolve, 20));
    }
  });

  it('ends when the person leaves, with their tokens and streams', async () => {
    const { headers, id } = await personWith(PASSWORD);
    const { token } = await json<{ token: string }>(send('POST', '/tokens', { name: 'nightly', days: 3 }, headers));
    const bearer = { Authorization: `Bearer ${token}` };
    const reader = (await send('GET', '/events', undefined, headers)).body!.getReader();
    expect(await whoIs(bearer)).not.toBe(401);
    expect((await send('PATCH', `/accounts/${id}`, { hasLeft: true }, signedInAs(1))).status).toBe(200);
    while (!(await reader.read()).done);
    expect([await whoIs(headers), await whoIs(bearer)]).toEqual([401, 401]);
  });
});

describe('a token', () => {
  it('acts for its person until it is ended or over, without a header of pages', async () => {
    const { headers, name } = await personWith(PASSWORD);
    const answer = await json<{ tokens: ApiToken[]; token: string }>(
      send('POST', '/tokens', { name: 'nightly import', days: 30 }, headers),
    );
    const bearer = { Authorization: `Bearer ${answer.token}` };
    expect(answer.tokens).toMatchObject([{ name: 'nightly import', usedAt: null }]);
    expect(JSON.stringify(answer.tokens)).not.toContain(answer.token);
    expect(await whoIs(bearer)).toBe(name);
    expect((await send('POST', '/pull-lists', { name: 'By a script' }, bearer)).status).toBe(200);
    const [kept] = await json<ApiToken[]>(send('GET', '/tokens', undefined, headers));
    expect(kept?.usedAt).not.toBeNull();
    // Nobody else sees it or ends it.
    expect(await json(send('GET', '/tokens', undefined, signedInAs(2)))).toEqual([]);
    expect((await send('DELETE', `/tokens/${kept?.id}`, undefined, signedInAs(2))).status).toBe(404);
    expect((await send('DELETE', `/tokens/${kept?.id}`, undefined, headers)).status).toBe(200);
    while ((await whoIs(bearer)) !== 401) await new Promise((resolve) => setTimeout(resolve, 20));
  });

  it.each(['Basic b3JsYTp4', 'Bearer', 'Bearer a b', 'Bearer guessed'])('is nothing else: %s', async (given) => {
    expect(await whoIs({ Authorization: given, ...signedInAs(1) })).toBe(401);
  });
});

describe('people', () => {
  it('have names and accounts of their own', async () => {
    const { name, account } = await personWith(PASSWORD);
    const add = (more: object) =>
      send(
        'POST',
        '/accounts',
        { name: 'Somebody', account: 'somebody', isAdministrator: false, ...more },
        signedInAs(1),
      );
    expect((await add({ name: name.toLowerCase() })).status).toBe(409);
    expect((await add({ account: account.toUpperCase() })).status).toBe(409);
    expect((await add({ account: 'two words' })).status).toBe(400);
  });

  it('keep one administrator, also when two take each other’s rights at once', async () => {
    const second = await personWith(PASSWORD, true);
    await app.context.db.execute(sql`update people set is_administrator = false where id not in (1, ${second.id})`);
    const both = await Promise.all([
      send('PATCH', `/accounts/${second.id}`, { isAdministrator: false }, signedInAs(1)),
      send('PATCH', '/accounts/1', { isAdministrator: false }, second.headers),
    ]);
    expect(both.map(({ status }) => status).sort()).toEqual([200, expect.any(Number)]);
    const { rows } = await app.context.db.execute(sql`select from people where is_administrator and ended_at is null`);
    expect(rows).toHaveLength(1);
    await app.context.db.execute(sql`update people set is_administrator = true where id = 1`);
    await app.context.live.publish(app.context.db, { type: 'people' });
  });

  it('stand in the audit log with what they did, which the application cannot change', async () => {
    const { account, name, id, headers } = await personWith(PASSWORD);
    await signIn('nobody-at-all', 'not the one');
    await send('POST', '/sign-out', {}, headers);
    await send('PATCH', `/accounts/${id}`, { hasLeft: true }, signedInAs(1));
    const { rows } = await app.context.db.execute<{
      what: string;
      person_name: string;
      about: string;
      refused: boolean;
    }>(sql`select what, person_name, about, refused from audit_log`);
    expect(rows).toEqual(
      expect.arrayContaining([
        { what: 'signs in', person_name: '', about: 'nobody-at-all', refused: true },
        expect.objectContaining({
          what: 'adds a person',
          person_name: 'Orla Venn',
          about: expect.stringContaining(`${name} (${account})`),
        }),
        expect.objectContaining({ what: 'chooses a password', about: account }),
        expect.objectContaining({ what: 'signs out', person_name: name }),
        expect.objectContaining({ what: 'has a person leave', person_name: 'Orla Venn', about: name }),
      ]),
    );
    for (const statement of [sql`update audit_log set about = ''`, sql`delete from audit_log`, sql`truncate audit_log`])
      await expect(app.context.db.execute(statement)).rejects.toMatchObject({ cause: { code: '42501' } });
  });
});
