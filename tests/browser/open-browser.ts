import { mkdtemp, rm } from 'node:fs/promises';
import os from 'node:os';
import path from 'node:path';
import puppeteer, { type Browser, type Page } from 'puppeteer-core';

/** Gives a browser the session of some headers (tests/signed-in.ts), as signing in does. */
export async function signInPage(page: Page, headers: Record<string, string>): Promise<void> {
  const [name = '', value = ''] = (headers['Cookie'] ?? '').split('=');
  await page
    .browserContext()
    .setCookie({ name, value, domain: '127.0.0.1', path: '/', httpOnly: true, sameSite: 'Lax' });
}

/** Debian's Chromium without a window, with a null audio device that really runs, and without its own background traffic. */
export async function openBrowser(): Promise<{ browser: Browser; page: Page; close: () => Promise<void> }> {
  const profile = await mkdtemp(path.join(os.tmpdir(), 'flagstone-chromium-'));
  const browser = await puppeteer.launch({
    executablePath: '/usr/bin/chromium',
    userDataDir: profile,
    args: [
      '--no-sandbox',
      '--disable-gpu',
      '--disable-quic',
      '--no-first-run',
      '--disable-background-networking',
      '--disable-component-update',
      '--disable-sync',
      '--autoplay-policy=no-user-gesture-required',
      // A microphone that beeps once a second.
      '--use-fake-device-for-media-stream',
      '--force-color-profile=srgb',
    ],
    defaultViewport: { width: 1280, height: 800 },
  });
  const page = await browser.newPage();
  return {
    browser,
    page,
    close: async () => {
      await browser.close();
      await rm(profile, { recursive: true, force: true });
    },
  };
}
