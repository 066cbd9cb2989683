import os from 'node:os';
import path from 'node:path';
import { it } from '@jest/globals';
import type { Page } from 'puppeteer-core';

/** What a person does and sees in a page, in the words of the page. */
export class Walker {
  readonly page: Page;
  /** What the page said went wrong. */
  readonly faults: string[] = [];

  constructor(page: Page, actionMs: number) {
    this.page = page;
    page.setDefaultTimeout(actionMs);
    page.on('pageerror', (error) => this.faults.push(String(error)));
    page.on('console', (message) => message.type() === 'error' && this.faults.push(message.text()));
  }

  button(name: string) {
    return this.page.locator(`::-p-aria([name="${name}"][role="button"])`);
  }

  text(words: string) {
    return this.page.locator(`::-p-text(${words})`);
  }

  /** Chooses of a menu, by its button. It grows out of that: what is clicked while it does may be another entry, so it is waited for. */
  async menu(button: string, entry: string): Promise<void> {
    await this.button(button).click();
    await this.page.waitForFunction(() => {
      const open = [...document.querySelectorAll('.el-dropdown__popper')].filter(
        (each) => getComputedStyle(each).display !== 'none',
      );
      const stands = (each: Element): boolean =>
        !/-(enter|leave)-/.test(each.className) && each.getAnimations({ subtree: true }).length === 0;
      return open.length === 1 && open.every(stands);
    });
    await this.text(entry).click();
  }

  shows(words: string) {
    return this.page.waitForFunction((wanted) => document.body.innerText.includes(wanted), {}, words);
  }

  showsNoMore(words: string) {
    return this.page.waitForFunction((wanted) => !document.body.innerText.includes(wanted), {}, words);
  }

  rowTexts(): Promise<string[]> {
    return this.page.$$eval('[role="rowgroup"] [role="row"]', (rows) =>
      rows.map((row) => (row as HTMLElement).innerText.replace(/\n+/g, ' | ')),
    );
  }

  async typeInto(selector: string, words: string): Promise<void> {
    await this.page.locator(selector).click();
    await this.page.keyboard.type(words);
  }

  /** Picks an entry of a select by the words of both. */
  async pick(label: string, entry: string): Promise<void> {
    await this.page.locator(`[aria-label="${label}"]`).click();
    await this.page.locator(`.el-select-dropdown:not([style*="display: none"]) ::-p-text(${entry})`).click();
  }

  /** Presses a key with others held, as `Control+a`. */
  async press(keys: string): Promise<void> {
    const held = keys.split('+');
    const key = held.pop() as Parameters<Page['keyboard']['press']>[0];
    for (const each of held) await this.page.keyboard.down(each as typeof key);
    await this.page.keyboard.press(key);
    for (const each of held.reverse()) await this.page.keyboard.up(each as typeof key);
  }

  /** Waits until nothing in the list was made anew for a while. */
  async rowsRest(restMs = 500): Promise<void> {
    await this.page.waitForFunction(
      (rest) => {
        const grid = document.querySelector('[role="grid"]:not([aria-busy="true"])');
        if (!grid) return false;
        return new Promise<boolean>((resolve) => {
          const observer = new MutationObserver(() => end(false));
          const timer = setTimeout(() => end(true), rest);
          const end = (isAtRest: boolean): void => {
            observer.disconnect();
            clearTimeout(timer);
            resolve(isAtRest);
          };
          observer.observe(grid, { childList: true, subtree: true, attributes: true });
        });
      },
      {},
      restMs,
    );
  }

  /**
   * Goes to the next row by the arrow key. A busy machine has been seen to take a key from a page and do nothing: then it is said what the page showed, and the key pressed once
   * more.
   */
  async nextRow(): Promise<void> {
    const current = (): string | null =>
      document.querySelector('[role="row"].current')?.getAttribute('aria-rowindex') ?? null;
    const before = await this.page.evaluate(current);
    for (const isLast of [false, true]) {
      await this.page.keyboard.press('ArrowDown');
      const moved = await this.page
        .waitForFunction(
          (was) => {
            const now = document.querySelector('[role="row"].current')?.getAttribute('aria-rowindex') ?? null;
            return now !== null && now !== was;
          },
          { timeout: 8000 },
          before,
        )
        .catch(() => undefined);
      if (moved) return;
      const shown = await this.page.evaluate(() => ({
        focused: document.activeElement?.outerHTML.slice(0, 120),
        rows: document.querySelectorAll('[role="rowgroup"] [role="row"]').length,
        inert: document.querySelector('[inert]') !== null,
        over: document.querySelector('[role="dialog"]')?.outerHTML.slice(0, 120),
      }));
      const said = `the arrow key did not move from row ${before}: ${JSON.stringify(shown)}`;
      if (isLast) throw new Error(said);
      process.stderr.write(`${said}\n`);
    }
  }

  /** Goes to a control by Tab alone, as somebody without a mouse does: to the one whose name begins so. */
  async tabTo(name: string, most = 120): Promise<void> {
    const focused = (): string => {
      const element = document.activeElement as HTMLElement | null;
      const label = element instanceof HTMLInputElement ? element.labels?.[0]?.innerText : undefined;
      return (element?.getAttribute('aria-label') ?? label ?? element?.innerText ?? '').trim();
    };
    const met: string[] = [];
    for (let tab = 0; tab < most; tab += 1) {
      await this.page.keyboard.press('Tab');
      const now = await this.page.evaluate(focused);
      if (now.startsWith(name)) return;
      met.push(now.slice(0, 30));
    }
    throw new Error(`${most} Tabs did not lead to “${name}”; they led to ${[...new Set(met)].join(', ')}`);
  }

  /** Replaces the words of the search line, from the keyboard, and waits until the list shows what they find: a key before that is for the old rows. */
  async searchFor(words: string): Promise<void> {
    await this.askFor(words);
    await this.page.waitForFunction(() => !document.querySelector('[role="grid"][aria-busy="true"]'));
  }

  /** The same without waiting for the rows. */
  async askFor(words: string): Promise<void> {
    await this.press('Escape');
    await this.press('/');
    await this.press('Control+a');
    await this.press('Backspace');
    await this.page.keyboard.type(words);
    const isAsked = (wanted: string) => (new URLSearchParams(location.search).get('q') ?? '') === wanted;
    await this.page.waitForFunction(isAsked, {}, words);
  }
}

/** Waits until something holds that the page does not say by itself, without keeping a core busy. Throws after a while. */
export async function until(holds: () => boolean | Promise<boolean>, what: string, most = 15_000): Promise<void> {
  for (const limit = Date.now() + most; !(await holds());) {
    if (Date.now() > limit) throw new Error(`${what}: not so after ${most / 1000} seconds`);
    await new Promise((resolve) => setTimeout(resolve, 20));
  }
}

/** Steps of a walk: they build on each other, so those after a failed one fail at once. A picture of the failure is kept. */
export function stepsOf(walker: () => Walker): (name: string, perform: () => Promise<void>) => void {
  let broken = '';
  return (name, perform) => {
    it(name, async () => {
      if (broken !== '') throw new Error(`not tried, since “${broken}” failed`);
      try {
        await perform();
      } catch (error) {
        broken = name;
        const { page } = walker();
        await page.screenshot({ path: path.join(os.tmpdir(), 'flagstone-walk-failure.png') });
        const shown = await page.evaluate(() => ({
          address: location.pathname + location.search,
          focused: document.activeElement?.outerHTML.slice(0, 160),
          over: document.querySelector('.el-overlay:not([style*="display: none"])')?.textContent?.slice(0, 300),
          words: document.body.innerText.slice(0, 1500),
        }));
        // A TimeoutError does not tell which wait it was; a picture stays on the machine that took it.
        throw new Error(`the page showed ${JSON.stringify(shown)}; faults: ${walker().faults.join('; ') || 'none'}`, {
          cause: error,
        });
      }
    });
  };
}
