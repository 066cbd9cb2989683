import { randomUUID } from 'node:crypto';
import { chmod, mkdir, mkdtemp, rm, writeFile } from 'node:fs/promises';
import os from 'node:os';
import path from 'node:path';
import { afterAll, beforeAll, describe, expect, jest } from '@jest/globals';
import { wavBytes, type WavTags } from '@flagstone/demo/wav-file';
import type { ElementHandle, HTTPRequest, Page } from 'puppeteer-core';
import { RunningServer } from '../running-server.ts';
import { openBrowser, signInPage } from './open-browser.ts';
import { stepsOf, until, Walker } from './walker.ts';

/** What is heard, marked and acted on is the same thing, whatever comes in between; and every field takes what is typed. */
jest.setTimeout(60_000);

let folder = '';
let server: RunningServer;
let page: Page;
let closeBrowser: () => Promise<void>;
let walker: Walker;
const step = stepsOf(() => walker);

const tone = (seed: number, tags: WavTags = {}): Uint8Array => {
  const signal = Float32Array.from({ length: 24_000 }, (_, at) => Math.sin(at / (3 + seed)) * 0.4);
  return wavBytes([signal], { rate: 48_000, bits: 16 }, tags);
};

/** The headers of somebody else's session. */
let colleague: Record<string, string> = {};

beforeAll(async () => {
  folder = await mkdtemp(path.join(os.tmpdir(), 'flagstone-firm-'));
  await chmod(folder, 0o755);
  for (const [place, names] of [
    ['drive/kiln', ['kiln door', 'kiln fire', 'kiln shelf']],
    ['drive/lock', ['gate creak', 'gate slam', 'paddle gear', 'water rush']],
  ] as const)
    for (const [at, name] of names.entries()) {
      await mkdir(path.join(folder, place), { recursive: true });
      await writeFile(path.join(folder, place, `${name}.wav`), tone(at + (place.endsWith('kiln') ? 0 : 10)));
    }
  server = new RunningServer(path.join(folder, 'data'), path.join(folder, 'drive'));
  await server.start();
  const opened = await openBrowser();
  page = opened.page;
  closeBrowser = opened.close;
  await signInPage(page, server.headers);
  colleague = await server.addPerson('Tobias Reed', 'tobias');
  walker = new Walker(page, 15_000);
}, 120_000);

afterAll(async () => {
  await closeBrowser();
  await server.end();
  await rm(folder, { recursive: true, force: true });
});

async function api<Answer>(method: string, address: string, body?: unknown, headers = colleague): Promise<Answer> {
  const answer = await fetch(`${server.address}/api${address}`, {
    method,
    headers: { 'content-type': 'application/json', ...headers },
    ...(body === undefined ? {} : { body: JSON.stringify(body) }),
  });
  if (!answer.ok) throw new Error(`${method} ${address}: ${answer.status} ${await answer.text()}`);
  return (await answer.json()) as Answer;
}

const LOCATION = '[data-field="location"] :is(input, textarea)';
const firstRow = '[role="rowgroup"] [role="row"]';
const rowsAre = (count: number) =>
  page.waitForFunction(
    (wanted, selector) => document.querySelectorAll(selector).length === wanted,
    {},
    count,
    firstRow,
  );

/** Keeps requests to some addresses from being sent until they are released. */
async function holdBack(address: RegExp): Promise<{ held: HTTPRequest[]; release: () => Promise<void> }> {
  await page.setRequestInterception(true);
  const held: HTTPRequest[] = [];
  const hold = (request: HTTPRequest): void => {
    if (address.test(request.url())) held.push(request);
    else void request.continue();
  };
  page.on('request', hold);
  const release = async (): Promise<void> => {
    page.off('request', hold);
    // One that the page gave up meanwhile is nobody's any more.
    for (const request of held) await request.continue().catch(() => undefined);
    await page.setRequestInterception(false);
  };
  return { held, release };
}

interface Batch {
  id: number;
  name: string;
}
const batches = new Map<string, number>();

describe('the page of a batch', () => {
  step('is that of the batch in the address, after a link from one batch to another', async () => {
    for (const place of ['kiln', 'lock']) {
      const { batch } = await api<{ batch: Batch }>('POST', '/intake', { path: path.join(folder, 'drive', place) });
      batches.set(place, batch.id);
    }
    await page.goto(`${server.address}/intake/${batches.get('kiln')}`);
    await rowsAre(3);
    await walker.button('Jobs').click();
    await walker.text('4 new').click();
    await page.waitForFunction((id) => location.pathname === `/intake/${id}`, {}, batches.get('lock'));
    await rowsAre(4);
    await walker.shows('gate creak');
    const filed: string[] = [];
    const seen = (request: HTTPRequest): void => {
      if (request.method() === 'POST' && request.url().endsWith('/plans')) filed.push(request.postData() ?? '');
    };
    page.on('request', seen);
    await walker.button('2 Name').click();
    await walker.shows('need you first');
    page.off('request', seen);
    expect(filed.map((body) => (JSON.parse(body) as { batchId: number }).batchId)).toEqual([batches.get('lock')]);
    await page.goBack();
    await page.waitForFunction((id) => location.pathname === `/intake/${id}`, {}, batches.get('kiln'));
    await rowsAre(3);
    await walker.shows('kiln door');
  });
});

describe('the card of a sound', () => {
  step('never takes by key what was suggested for the sound before', async () => {
    // While sounds are measured the list is read again and again: a key in between would go to another row than the one that is waited for.
    await page.waitForFunction(
      async () => {
        const jobs = (await (await fetch('/api/jobs')).json()) as { state: string }[];
        return jobs.every(({ state }) => state !== 'running' && state !== 'waiting');
      },
      { polling: 300 },
    );
    await walker.rowsRest();
    await page.locator('[role="grid"] ::-p-text(kiln door.wav)').click();
    await page.waitForSelector('.suggestion');
    const { held, release } = await holdBack(/\/api\/suggest/);
    await walker.nextRow();
    await until(() => held.length > 0, 'suggestions for the next sound are asked for');
    expect(await page.$('.suggestion')).toBeNull();
    await page.keyboard.press('1');
    await release();
    await page.waitForSelector('.suggestion');
    const { rows } = await api<{ rows: { record: { catId: string } }[] }>(
      'GET',
      `/batches/${batches.get('kiln')}/rows`,
    );
    expect(rows.map(({ record }) => record.catId)).toEqual(['', '', '']);
  });
});

describe('typing while colleagues save', () => {
  step('loses no letter of a field that a colleague saved meanwhile', async () => {
    await walker.text('kiln door.wav').click();
    await walker.typeInto(LOCATION, 'Kiln yard, nor');
    const { rows } = await api<{ rows: { copyId: number }[] }>('GET', `/batches/${batches.get('kiln')}/rows`);
    const copyIds = rows.map((row) => row.copyId);
    const selection = { kind: 'copies', copyIds };
    await api('PATCH', '/records', { selection, edit: { set: { location: 'Somewhere else' } } });
    await walker.shows('Saved meanwhile by somebody else: “Somewhere else”');
    expect(await page.$eval(LOCATION, (field) => (field as HTMLInputElement).value)).toBe('Kiln yard, nor');
    await page.keyboard.type('th side');
    await page.keyboard.press('Enter');
    await walker.showsNoMore('Saved meanwhile');
    await page.waitForFunction(
      (field) => document.querySelector<HTMLInputElement>(field)?.value === 'Kiln yard, north side',
      {},
      LOCATION,
    );
  });

  step('saves what was typed of the sound for which it was typed, when the list moves on meanwhile', async () => {
    const notesOf = async (): Promise<string[]> => {
      const { rows } = await api<{ rows: { record: { notes: string } }[] }>(
        'GET',
        `/batches/${batches.get('kiln')}/rows`,
      );
      return rows.map(({ record }) => record.notes);
    };
    await page.goto(`${server.address}/intake/${batches.get('kiln')}`);
    await rowsAre(3);
    await page.locator(firstRow).click();
    await page.locator('[data-field="notes"] textarea').click();
    await page.keyboard.type('of the first');
    // As when playing goes on to the next one: the field is not left.
    await page.$$eval(firstRow, (rows) => (rows[1] as HTMLElement).click());
    await page.waitForFunction(
      () => document.querySelector<HTMLTextAreaElement>('[data-field="notes"] textarea')?.value === '',
    );
    while (!(await notesOf()).includes('of the first')) await new Promise((resolve) => setTimeout(resolve, 50));
    expect(await notesOf()).toEqual(['of the first', '', '']);
    await walker.press('Escape');
  });

  step('keeps what could not be saved, says so, and saves it when it is told to', async () => {
    await page.locator('[data-field="notes"] textarea').click();
    await page.keyboard.type('while the line was down');
    await page.setOfflineMode(true);
    await walker.press('Tab');
    await walker.shows('Not saved yet.');
    await page.setOfflineMode(false);
    const [saved] = await Promise.all([
      page.waitForResponse((answer) => answer.url().endsWith('/records')),
      walker.button('Save it').click(),
    ]);
    expect(saved.ok()).toBe(true);
    await walker.showsNoMore('Not saved yet.');
    // What the browser said of the broken line is no fault of the page.
    walker.faults.length = 0;
  });

  step('adds keywords to those that a colleague added', async () => {
    const selection = { kind: 'batch', batchId: batches.get('kiln') };
    // So that the page does not know yet what the colleague added.
    const { release } = await holdBack(/\/rows\?/);
    await api('PATCH', '/records', { selection, edit: { addKeywords: ['theirs'] } });
    await page.focus('[data-field="keywords"] input');
    await page.keyboard.type('mine');
    await Promise.all([
      page.waitForResponse((answer) => answer.url().endsWith('/records') && answer.ok()),
      page.keyboard.press('Enter'),
    ]);
    await release();
    const { rows } = await api<{ rows: { record: { keywords: string[] } }[] }>(
      'GET',
      `/batches/${batches.get('kiln')}/rows`,
    );
    expect(rows.map(({ record }) => [...record.keywords].sort())).toContainEqual(['mine', 'theirs']);
    await walker.press('Escape');
  });

  step('asks what stays where two wrote in the same field, and keeps both together', async () => {
    const NOTES = '[data-field="notes"] textarea';
    interface Row {
      copyId: number;
      record: { notes: string };
    }
    const rowsNow = async (): Promise<Row[]> =>
      (await api<{ rows: Row[] }>('GET', `/batches/${batches.get('kiln')}/rows`)).rows;
    await page.goto(`${server.address}/intake/${batches.get('kiln')}`);
    await rowsAre(3);
    await page.locator(firstRow).click();
    await page.waitForSelector(NOTES);
    // The page does not know yet what the colleague wrote.
    const { release } = await holdBack(/\/rows\?/);
    const shown = await page.$eval(firstRow, (row) => (row as HTMLElement).innerText);
    const before = (await rowsNow()).find(({ record }) => record.notes === 'of the first');
    if (!before) throw new Error(`there is no such row beside ${shown}`);
    const selection = { kind: 'copies', copyIds: [before.copyId] };
    await api('PATCH', '/records', { selection, edit: { set: { notes: 'a loose plank' } } });
    await page.$eval(NOTES, (field) => field.select());
    await page.focus(NOTES);
    await walker.press('Control+a');
    await page.keyboard.type('a dry hinge');
    await walker.press('Tab');
    await walker.shows('Tobias Reed changed the same meanwhile');
    await walker.shows('a loose plank');
    await walker.button('Both together').click();
    await walker.showsNoMore('changed the same meanwhile');
    await release();
    await page.waitForFunction(
      (field) => document.querySelector<HTMLTextAreaElement>(field)?.value === 'a loose plank\na dry hinge',
      {},
      NOTES,
    );
    const after = (await rowsNow()).find(({ copyId }) => copyId === before.copyId);
    expect(after?.record.notes).toBe('a loose plank\na dry hinge');
    // The browser says of an answer 409 that it failed; that is what was tried.
    walker.faults.length = 0;
    await walker.press('Escape');
  });
});

describe('a colleague who is here', () => {
  step('is shown, with what they have open, and no more when their page closes', async () => {
    const other = randomUUID();
    const closing = new AbortController();
    await page.goto(`${server.address}/intake/${batches.get('kiln')}`);
    await rowsAre(3);
    const stream = await fetch(`${server.address}/api/events?page=${other}`, {
      headers: colleague,
      signal: closing.signal,
    });
    expect(stream.ok).toBe(true);
    await page.waitForSelector('[aria-label="Also here"] ::-p-text(TR)');
    const { rows } = await api<{ rows: { soundId: number }[] }>('GET', `/batches/${batches.get('kiln')}/rows`);
    await api('POST', '/presence', { page: other, batchId: batches.get('kiln'), soundId: rows[0]?.soundId });
    await page.waitForFunction(() => document.querySelector('.row .there')?.textContent?.includes('◉ TR') === true);
    await page.locator('.row:has(.there)').click();
    await walker.shows('Tobias Reed: has this open too.');
    // And they are told of what is open here.
    const told = async () =>
      (await api<{ personId: number; soundId: number | null }[]>('GET', '/presence')).filter(
        ({ soundId }) => soundId === rows[0]?.soundId,
      );
    while ((await told()).length < 2) await new Promise((resolve) => setTimeout(resolve, 50));
    closing.abort();
    await page.waitForFunction(() => document.querySelector('[aria-label="Also here"]') === null);
    expect(await page.$('.row .there')).toBeNull();
    await walker.press('Escape');
  });
});

describe('going through a list while a search is on its way', () => {
  step('leaves marked what is heard, and rates that', async () => {
    for (const id of batches.values()) await api('POST', `/batches/${id}/file`, {});
    await page.goto(`${server.address}/catalogue?sort=name`);
    await rowsAre(7);
    const { held, release } = await holdBack(/\/api\/catalogue\?/);
    await walker.askFor('kiln');
    await page.waitForFunction(() => location.search.includes('kiln'));
    await until(() => held.length > 0, 'a request is held back');
    await walker.press('Escape');
    // The old rows are still on show: the second of them is no kiln.
    await page.locator('[role="grid"]').click();
    for (const _ of [1, 2]) await page.keyboard.press('ArrowDown');
    const heard = await page.$eval('[aria-selected="true"], .row.current', (row) => (row as HTMLElement).innerText);
    await release();
    await rowsAre(3);
    const marked = await page.$$eval('.row.current', (rows) => rows.map((row) => (row as HTMLElement).innerText));
    expect(marked.filter((text) => text.split('\n')[0] !== heard.split('\n')[0])).toEqual([]);
  });
});

describe('a file that was changed outside while its record was edited', () => {
  step('is compared with the record against what both agreed on, and both are kept together', async () => {
    const find = async () =>
      (
        await api<{ rows: { copyId: number; state: string; record: { description: string } }[] }>(
          'GET',
          '/catalogue?q=paddle%20',
        )
      ).rows[0];
    const before = await find();
    const selection = { kind: 'copies', copyIds: [before?.copyId] };
    await api('PATCH', '/records', { selection, edit: { set: { description: 'Wet oak.' } } }, server.headers);
    await writeFile(path.join(folder, 'drive/lock/paddle gear.wav'), tone(12, { info: { ICMT: 'Iron on iron.' } }));
    await api('POST', '/intake', { path: path.join(folder, 'drive/lock') });
    await until(async () => (await find())?.state === 'split', 'the copy is Split');
    await page.goto(`${server.address}/catalogue?q=${encodeURIComponent('paddle ')}`);
    await rowsAre(1);
    await page.keyboard.press('ArrowDown');
    await page.locator('.views ::-p-text(In the file)').click();
    await walker.shows('both changed');
    await page.locator('[aria-label="Both together: Description"]').click();
    await until(async () => (await find())?.record.description === 'Wet oak.\nIron on iron.', 'the record says both');
    await walker.shows('the record holds both');
  });
});

/** Whether a letter that is typed into a field stands in it then. One that was drawn anew meanwhile is tried again, and one that went is none. */
async function takesTyping(field: ElementHandle): Promise<boolean> {
  const before = await field.evaluate((each) => (each as HTMLInputElement).value);
  for (let tries = 0; tries < 3; tries += 1) {
    await field.evaluate((each) => (each as HTMLInputElement).focus());
    await page.keyboard.type('7');
    const isTaken = (each: Element, was: string): boolean =>
      !each.isConnected || (each as HTMLInputElement).value !== was;
    const taken = page.waitForFunction(isTaken, { timeout: 1000 }, field, before);
    if (
      await taken.then(
        () => true,
        () => false,
      )
    )
      return true;
  }
  return false;
}

describe('every field', () => {
  step('of a pull list takes what is typed, and keeps it', async () => {
    await api('POST', '/pull-lists', { name: 'Scene 12' }, server.headers);
    const [list] = await api<{ id: number }[]>('GET', '/pull-lists');
    const { rows } = await api<{ rows: { soundId: number }[] }>('GET', `/batches/${batches.get('lock')}/rows`);
    const soundId = rows[0]?.soundId;
    await api(
      'POST',
      `/pull-lists/${list?.id}/entries`,
      { soundId, part: null, tryOut: null, comment: '' },
      server.headers,
    );
    await page.goto(`${server.address}/pull/${list?.id}`);
    await page.waitForSelector('[aria-label="Name of the list"]');
    const typed = { 'Name of the list': ' at dawn', Show: 'The Mill', Scene: '12b', Comment: 'softer' };
    for (const [label, words] of Object.entries(typed)) {
      await walker.typeInto(`input[aria-label^="${label}"]`, words);
      await page.keyboard.press('Tab');
    }
    const saved = async () => {
      const [now] = await api<{ name: string; show: string; scene: string }[]>('GET', '/pull-lists');
      const [entry] = await api<{ comment: string }[]>('GET', `/pull-lists/${list?.id}/entries`);
      return [now?.name, now?.show, now?.scene, entry?.comment].join(' | ');
    };
    await until(
      async () => (await saved()) === 'Scene 12 at dawn | The Mill | 12b | softer',
      'all fields of the list are saved',
    );
  });

  step(
    'stands aside for a key that pulls a sound before the lists are known: it goes into the one that is there',
    async () => {
      const { held, release } = await holdBack(/\/api\/pull-lists$/);
      await page.goto(`${server.address}/catalogue?sort=name`);
      await rowsAre(7);
      await until(() => held.length > 0, 'a request is held back');
      await page.locator(firstRow).click();
      await page.keyboard.press('p');
      await until(() => held.length >= 2, 'two requests are held back');
      await release();
      await walker.shows('pulled into “Scene 12 at dawn”');
      expect(await api<unknown[]>('GET', '/pull-lists')).toHaveLength(1);
    },
  );

  step('of every page takes what is typed', async () => {
    const sound = (await api<{ rows: { soundId: number }[] }>('GET', '/catalogue')).rows[0]?.soundId;
    const edit = { set: { slices: '0 2400 first', syncPoints: '1200 hit' } };
    for (const batchId of batches.values())
      await api('PATCH', '/records', { selection: { kind: 'batch', batchId }, edit });
    const places: [place: string, fieldsAtLeast: number][] = [
      ['/today', 0],
      ['/intake', 1],
      [`/intake/${batches.get('kiln')}`, 0],
      ['/catalogue', 1],
      [`/sound/${sound}`, 1],
      ['/setup', 1],
    ];
    const deaf: string[] = [];
    for (const [place, fieldsAtLeast] of places) {
      await page.goto(`${server.address}${place}`);
      await page.waitForFunction(
        (fields) => document.querySelectorAll('main input, main textarea').length >= fields,
        {},
        fieldsAtLeast,
      );
      await page.waitForFunction(() => document.querySelector('main')?.textContent?.trim() !== '');
      if (place.includes('catalogue') || place.includes('intake/')) {
        await page.locator(firstRow).click();
        await page.waitForSelector('.card [data-field] input');
      }
      const labels = await page.$$eval('input, textarea', (fields) =>
        fields.map((field, at) => {
          const isText = field instanceof HTMLTextAreaElement || ['text', 'search', ''].includes(field.type);
          const isOpen = isText && !field.readOnly && !field.disabled && field.offsetParent !== null;
          field.dataset['met'] = isOpen ? String(at) : '';
          return isOpen ? (field.getAttribute('aria-label') ?? field.placeholder) : '';
        }),
      );
      for (const [at, label] of labels.entries()) {
        const field = await page.$(`[data-met="${at}"]`);
        if (!field) continue;
        if (!(await takesTyping(field))) deaf.push(`${place}: ${label}`);
        await page.keyboard.press('Escape');
      }
    }
    expect(deaf).toEqual([]);
  });
});
