import { chmod, mkdir, mkdtemp, rm, writeFile } from 'node:fs/promises';
import os from 'node:os';
import path from 'node:path';
import { afterAll, beforeAll, describe, expect, jest } from '@jest/globals';
import type { SessionSeen } from '@flagstone/contract/people';
import { wavBytes } from '@flagstone/demo/wav-file';
import type { BrowserContext, Page } from 'puppeteer-core';
import { RunningServer } from '../running-server.ts';
import { headersOf, sessionOf } from '../signed-in.ts';
import { openBrowser } from './open-browser.ts';
import { stepsOf, Walker } from './walker.ts';

jest.setTimeout(60_000);
const PASSWORD = 'geese under the mill wheel';

let folder = '';
let drive = '';
let server: RunningServer;
let page: Page;
let walker: Walker;
let others: BrowserContext;
let closeBrowser: () => Promise<void>;

beforeAll(async () => {
  folder = await mkdtemp(path.join(os.tmpdir(), 'flagstone-people-'));
  await chmod(folder, 0o755);
  drive = path.join(folder, 'drive');
  await mkdir(drive);
  const hum = Float32Array.from({ length: 4800 }, (_, at) => Math.sin(at / 7) * 0.4);
  await writeFile(path.join(drive, 'weir hum.wav'), wavBytes([hum], { rate: 48_000, bits: 16 }));
  server = new RunningServer(path.join(folder, 'data'), drive);
  await server.start({ takesLink: false });
  const opened = await openBrowser();
  page = opened.page;
  closeBrowser = opened.close;
  walker = new Walker(page, 15_000);
  others = await opened.browser.createBrowserContext();
}, 120_000);

afterAll(async () => {
  await closeBrowser();
  await server.end();
  await rm(folder, { recursive: true, force: true });
});

const step = stepsOf(() => walker);
const fill = (name: string, words: string) => page.locator(`input[name="${name}"]`).fill(words);
/** Another session of the one who is signed in, at the API. */
async function elsewhere(account: string): Promise<Record<string, string>> {
  const answer = await fetch(`${server.address}/api/sign-in`, {
    method: 'POST',
    headers: { 'Content-Type': 'application/json' },
    body: JSON.stringify({ account, password: PASSWORD }),
  });
  return headersOf(sessionOf(answer));
}
let invitation = '';

describe('people who come in', () => {
  step('by the link of the first start, as the first administrator', async () => {
    await page.goto(`${server.address}/join#${server.link}`);
    await walker.shows('The first administrator');
    expect(await page.evaluate(() => location.hash)).toBe('');
    await fill('name', 'Hester Vale');
    await fill('username', 'hester');
    await fill('password', 'too short');
    await walker.shows('3 more');
    await fill('password', PASSWORD);
    await walker.button('Sign in').click();
    await page.waitForFunction(() => location.pathname === '/today');
    await page.waitForSelector('[aria-label^="Hester Vale: account"]', { visible: true });
  });

  step('by a link that an administrator makes, which holds once', async () => {
    await page.goto(`${server.address}/setup?show=people`);
    await page.locator('input[aria-label="Name"]').fill('Fenna Holt');
    await page.locator('input[aria-label="Account to sign in with"]').fill('fenna');
    await walker.pick('Role of Fenna Holt in Effects', 'listener: searches and hears');
    await walker.button('Add, and make a link').click();
    await walker.shows('The link for Fenna Holt, shown this once');
    invitation = await page.$eval('code', (code) => code.textContent ?? '');
    const fenna = await others.newPage();
    await fenna.goto(invitation);
    await fenna.locator('input[name="password"]').fill(PASSWORD);
    await fenna.locator('::-p-aria([name="Sign in"][role="button"])').click();
    await fenna.waitForSelector('[aria-label^="Fenna Holt: account"]');
    // What is for others is not offered, and its address says what is missing.
    const places = (): Promise<string[]> =>
      fenna.$$eval('nav[aria-label="Places"] a', (all) => all.map((place) => place.innerText.trim()));
    expect(await places()).toEqual(['Today', 'Catalogue']);
    await fenna.goto(`${server.address}/setup`);
    await fenna.waitForFunction(() => document.body.innerText.includes('Setup needs a librarian'));
    await fenna.waitForFunction(() => document.body.innerText.includes('You are a listener in “Effects”'));
    await fenna.goto(`${server.address}/sound/4711`);
    await fenna.waitForFunction(() => document.body.innerText.includes('There is no sound 4711.'));
    // As soon as she is made one, the page is there.
    await fenna.goto(`${server.address}/setup`);
    await fenna.waitForFunction(() => document.body.innerText.includes('Setup needs a librarian'));
    await walker.button('Roles of Fenna Holt').click();
    await walker.pick('Role of Fenna Holt in Effects', 'librarian: also names, writes, files');
    await walker.shows('librarian in Effects');
    await fenna.waitForSelector('[role="tab"]');
    const tabs = await fenna.$$eval('[role="tab"]', (all) => all.map((tab) => (tab as HTMLElement).innerText));
    expect(tabs).toContain('Drives');
    expect(tabs).not.toContain('People');
    await fenna.goto('about:blank');
    await fenna.goto(invitation);
    await fenna.waitForFunction(() => document.body.innerText.includes('This link is over'));
    await fenna.close();
  });

  step('by account and password, and are told when they are wrong', async () => {
    await page.locator('[aria-label^="Hester Vale: account"]').click();
    await Promise.all([page.waitForNavigation(), page.locator('.el-dropdown-menu__item ::-p-text(Sign out)').click()]);
    await page.waitForSelector('input[name="username"]');
    // Nothing of the house is shown to nobody.
    expect(await page.$eval('.frame', (frame) => getComputedStyle(frame).display)).toBe('none');
    await fill('username', 'hester');
    await fill('password', 'not the one at all');
    await walker.button('Sign in').click();
    await walker.shows('There is no account with this name and this password.');
    await fill('password', PASSWORD);
    await page.keyboard.press('Enter');
    await page.waitForSelector('[aria-label^="Hester Vale: account"]');
  });
});

describe('a session that ends while somebody types', () => {
  const NOTES = '[data-field="notes"] textarea';

  step('is said, and loses no letter: after signing in again the text is there and is saved', async () => {
    const headers = await elsewhere('hester');
    await fetch(`${server.address}/api/intake`, {
      method: 'POST',
      headers: { ...headers, 'Content-Type': 'application/json' },
      body: JSON.stringify({ path: drive }),
    });
    await page.goto(`${server.address}/intake/1`);
    await page.locator('[role="rowgroup"] [role="row"]').click();
    await page.locator(NOTES).click();
    await page.keyboard.type('half a sentence about the w');
    const seen = (await (await fetch(`${server.address}/api/sessions`, { headers })).json()) as SessionSeen[];
    for (const { id, isThis } of seen)
      if (!isThis) await fetch(`${server.address}/api/sessions/${id}`, { method: 'DELETE', headers });
    await walker.shows('The session of Hester Vale is over');
    // What is behind the form cannot be reached by Tab.
    await walker.press('Shift+Tab');
    expect(await page.evaluate(() => document.activeElement?.closest('.frame') === null)).toBe(true);
    // Nor by a key, which would act once somebody is in again.
    const undone: string[] = [];
    page.on('request', (request) => void (/undo/.test(request.url()) && undone.push(request.url())));
    await page.evaluate(() => (document.activeElement as HTMLElement | null)?.blur());
    await walker.press('u');
    await fill('username', 'hester');
    await fill('password', PASSWORD);
    await walker.button('Sign in').click();
    await page.waitForSelector('.frame:not([inert])');
    expect(undone).toEqual([]);
    expect(await page.$eval(NOTES, (field) => field.value)).toBe('half a sentence about the w');
    await page.locator(NOTES).click();
    await walker.press('End');
    await page.keyboard.type('eir');
    await walker.press('Tab');
    const notes = async (): Promise<string> => {
      const answer = await fetch(`${server.address}/api/batches/1/rows`, { headers });
      const { rows } = (await answer.json()) as { rows: { record: { notes: string } }[] };
      return rows[0]?.record.notes ?? '';
    };
    while ((await notes()) !== 'half a sentence about the weir')
      await new Promise((resolve) => setTimeout(resolve, 50));
  });

  step('gives the page to nobody else: another account begins anew', async () => {
    const headers = await elsewhere('hester');
    const seen = (await (await fetch(`${server.address}/api/sessions`, { headers })).json()) as SessionSeen[];
    for (const { id, isThis } of seen)
      if (!isThis) await fetch(`${server.address}/api/sessions/${id}`, { method: 'DELETE', headers });
    await walker.shows('The session of Hester Vale is over');
    await page.evaluate(() => Object.assign(globalThis, { isOld: true }));
    await fill('username', 'fenna');
    await fill('password', PASSWORD);
    await Promise.all([page.waitForNavigation(), walker.button('Sign in').click()]);
    await page.waitForSelector('[aria-label^="Fenna Holt: account"]', { visible: true });
    expect(await page.evaluate(() => 'isOld' in globalThis)).toBe(false);
  });
});

describe('a passkey', () => {
  step('is added by somebody who is signed in, and signs them in; what it signed holds once', async () => {
    // Web Authentication wants a name, and takes localhost for one.
    const base = server.address.replace('127.0.0.1', 'localhost');
    const opened = await others.newPage();
    const session = await opened.createCDPSession();
    await session.send('WebAuthn.enable');
    await session.send('WebAuthn.addVirtualAuthenticator', {
      options: {
        protocol: 'ctap2',
        transport: 'internal',
        hasResidentKey: true,
        hasUserVerification: true,
        isUserVerified: true,
        automaticPresenceSimulation: true,
      },
    });
    const signsIn = async (how: () => Promise<void>): Promise<void> => {
      await opened.waitForSelector('input[name="username"]');
      await how();
      await opened.waitForSelector('[aria-label^="Fenna Holt: account"]', { visible: true });
    };
    await opened.goto(`${base}/account`);
    await signsIn(async () => {
      await opened.locator('input[name="username"]').fill('fenna');
      await opened.locator('input[name="password"]').fill(PASSWORD);
      await opened.keyboard.press('Enter');
    });
    await opened.locator('input[aria-label="What the passkey is called"]').fill('The laptop of the weir');
    await opened.locator('::-p-text(Add a passkey)').click();
    await opened.waitForSelector('[aria-label="End the passkey The laptop of the weir"]');
    await Promise.all([opened.waitForNavigation(), opened.locator('::-p-text(Sign out)').click()]);
    const asked = opened.waitForRequest((request) => request.url().endsWith('/api/passkey-sign-in'));
    await signsIn(() => opened.locator('::-p-text(With a passkey)').click());
    const again = await fetch(`${base}/api/passkey-sign-in`, {
      method: 'POST',
      headers: { 'Content-Type': 'application/json' },
      body: (await asked).postData() ?? '',
    });
    expect([again.status, await again.json()]).toMatchObject([403, { code: 'PASSKEY_REFUSED' }]);
    // By another name of the same server it is refused too.
    const elsewhereAsked = await fetch(`${server.address}/api/passkey-sign-in/begin`, { method: 'POST' });
    expect(await elsewhereAsked.json()).toMatchObject({ code: 'BAD_REQUEST' });
    await opened.goto(`${base}/account`);
    await opened.locator('[aria-label="End the passkey The laptop of the weir"]').click();
    await opened.locator('::-p-text(End it)').click();
    await opened.waitForFunction(() => !document.body.innerText.includes('The laptop of the weir'));
    await Promise.all([opened.waitForNavigation(), opened.locator('::-p-text(Sign out)').click()]);
    await opened.waitForSelector('input[name="username"]');
    await opened.locator('::-p-text(With a passkey)').click();
    await opened.waitForFunction(() => document.body.innerText.includes('This passkey is not known here'));
    await opened.close();
  });
});
