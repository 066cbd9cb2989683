import { openBrowser, signInPage } from '../browser/open-browser.ts';
import { signedInAs } from '../signed-in.ts';
import { FRAMES, WATCH_FRAMES } from './watch-frames.ts';

/** How fast somebody types, ms from key to key. */
const TYPING_MS = 90;
const SCREENS = 150;

/** Run in the page: gives the time from the last letter that was typed to the frame in which its rows are there, ms. */
const REPAINTED = `new Promise((resolve) => {
  const look = () => {
    const isThere = new URLSearchParams(location.search).get('q') === globalThis.wanted &&
      !document.querySelector('[role="grid"][aria-busy="true"]');
    if (isThere) requestAnimationFrame((now) => resolve(now - globalThis.typedAt));
    else requestAnimationFrame(look);
  };
  look();
})`;

const share = (times: readonly number[], part: number): number =>
  [...times].sort((a, b) => a - b)[Math.floor((times.length - 1) * part)] ?? 0;

/**
 * What somebody sees in a browser at 1280x800, with server and browser on one machine and painted without a graphics card: how long after the last letter the
 * rows are painted anew, and the frames while the list is scrolled. Prints lines.
 */
export async function benchPage(address: string, words: readonly string[], say: (line: string) => void): Promise<void> {
  const { page, close } = await openBrowser();
  await signInPage(page, signedInAs(1));
  try {
    page.setDefaultTimeout(60_000);
    await page.goto(`${address}/catalogue`);
    await page.waitForFunction(
      `document.querySelector('[role="grid"][aria-busy="false"] [role="rowgroup"] [role="row"]')`,
    );
    await page.evaluate(`addEventListener('keydown', ({ timeStamp }) => (globalThis.typedAt = timeStamp), true)`);
    const times: number[] = [];
    for (const word of words) {
      await page.focus('input[aria-label="Search"]');
      await page.keyboard.down('Control');
      await page.keyboard.press('a');
      await page.keyboard.up('Control');
      await page.keyboard.press('Backspace');
      await page.waitForFunction(`!location.search.includes('q=') && !document.querySelector('[aria-busy="true"]')`);
      await page.evaluate(`globalThis.wanted = ${JSON.stringify(word)}`);
      await page.keyboard.type(word, { delay: TYPING_MS });
      times.push((await page.evaluate(REPAINTED)) as number);
    }
    say(
      `from the last letter to the rows  median ${share(times, 0.5).toFixed(0).padStart(5)} ms, 95 % ${share(times, 0.95).toFixed(0).padStart(5)} ms, longest ${share(times, 1).toFixed(0).padStart(5)} ms`,
    );
    await page.goto(`${address}/catalogue`);
    await page.waitForFunction(
      `document.querySelector('[role="grid"][aria-busy="false"] [role="rowgroup"] [role="row"]')`,
    );
    await page.mouse.move(600, 400);
    for (const [what, turn] of [
      ['scrolling by the wheel', () => page.mouse.wheel({ deltaY: 240 })],
      ['page by page', () => page.keyboard.press('PageDown')],
    ] as const) {
      await page.evaluate(WATCH_FRAMES);
      for (let screen = 0; screen < SCREENS; screen += 1) await turn();
      const frames = (await page.evaluate(FRAMES)) as number[];
      say(
        `${what.padEnd(32)}  median ${share(frames, 0.5).toFixed(0).padStart(5)} ms, 95 % ${share(frames, 0.95).toFixed(0).padStart(5)} ms, longest ${share(frames, 1).toFixed(0).padStart(5)} ms, of ${frames.length} frames`,
      );
    }
  } finally {
    await close();
  }
}
