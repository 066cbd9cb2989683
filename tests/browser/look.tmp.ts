import { mkdir } from 'node:fs/promises';
import { signInDemo } from '../signed-in.ts';
import { openBrowser, signInPage } from './open-browser.ts';
const base = 'http://127.0.0.1:4792';
const h = { ...(await signInDemo(base, 'Orla Venn')), Origin: base, 'Content-Type': 'application/json' };
const api = async (method: string, path: string, body?: unknown) => {
  const r = await fetch(`${base}/api${path}`, { method, headers: h, ...(body ? { body: JSON.stringify(body) } : {}) });
  const t = await r.json();
  if (!r.ok) throw new Error(`${path} ${r.status} ${JSON.stringify(t)}`);
  return t as any;
};
const idle = async () => {
  for (;;) {
    const jobs = await api('GET', '/jobs');
    if (jobs.every((j: any) => j.finishedAt)) return;
    await new Promise((r) => setTimeout(r, 500));
  }
};
const out = '/tmp/demo-data/demo/drives/Narrowboat/to the game team';
await mkdir(out, { recursive: true });
if ((await api('GET', '/catalogue?limit=1')).rows.length === 0) {
  for (const d of ['Mill Race', 'Kiln Shelf']) {
    const { batch } = await api('POST', '/intake', { path: `/tmp/demo-data/demo/drives/${d}` });
    await idle();
    await api('POST', `/batches/${batch.id}/file`, {});
  }
  await idle();
  const lists = await api('POST', '/pull-lists', { name: 'Scene 12, kiln opens', show: 'The Lock Keeper', scene: '12', notes: '' });
  const { rows } = await api('GET', '/catalogue?limit=40&q=kiln');
  for (const row of rows.slice(0, 9)) await api('POST', `/pull-lists/${lists[0].id}/entries`, { soundId: row.soundId });
}
if (process.argv.includes('licences')) {
  const { rows } = await api('GET', '/catalogue?limit=40&q=kiln');
  const set = (ids: number[], licence: string) => api('PATCH', '/records', { selection: { kind: 'copies', copyIds: ids }, edit: { set: { licence, category: 'DOORS' } } });
  await set(rows.slice(0, 2).map((r: any) => r.copyId), 'CC BY-NC 4.0');
  await set(rows.slice(2, 5).map((r: any) => r.copyId), 'CC BY 4.0');
  await set(rows.slice(5, 7).map((r: any) => r.copyId), 'Harrow & Sluice house licence');
  const list = await api('POST', '/authorities/gather', {});
  const house = list.find((a: any) => a.name.startsWith('Harrow & Sluice house'));
  const terms = { spdx: '', commercial: 'yes', adapted: 'yes', broadcast: 'yes', games: 'unsaid', redistribution: 'no', shareAlike: false, attribution: true, credit: '', territories: '', from: '', until: '2026-12-20', onlyShow: '', seats: null, notes: '' };
  await api('PATCH', `/authorities/${house.id}/terms`, { terms });
}
const { page, close } = await openBrowser();
page.on('pageerror', (e) => console.log('page error', String(e)));
page.on('console', (m) => m.type() === 'error' && console.log('console', m.text()));
await signInPage(page, await signInDemo(base, 'Orla Venn'));
const settle = () => page.waitForNetworkIdle({ idleTime: 600, concurrency: 12 });
const steps = process.argv.slice(2);
if (steps.includes('dialog')) {
  await page.goto(`${base}/deliveries`); await settle();
  await page.screenshot({ path: '/tmp/d0.png' });
  await page.goto(`${base}/pull`); await settle();
  await page.locator('::-p-aria([name="Deliver…"][role="button"])').click();
  await settle();
  await page.screenshot({ path: '/tmp/d1.png' });
}
if (steps.includes('make')) {
  const profiles = await api('GET', '/delivery-profiles');
  const lists = await api('GET', '/pull-lists');
  await api('POST', '/deliveries', { name: 'Scene 12, kiln opens', forWhom: 'Lock Seven Games', use: 'game', show: 'The Lock Keeper', deadline: '2026-12-11', what: { kind: 'list', listId: lists[0].id }, folder: out, profileName: 'Game', profile: profiles[1].profile });
  await api('POST', '/deliveries', { name: 'Canal ambiences', forWhom: 'the archive', what: { kind: 'sounds', cut: 'whole', selection: { kind: 'catalogue', filter: { q: 'water' } } }, folder: out, profileName: 'Post-production archive', profile: profiles[2].profile });
}
if (steps.includes('see')) {
  const all = await api('GET', '/deliveries');
  await page.goto(`${base}/deliveries/${all.find((d: any) => d.profileName === 'Game').id}`); await settle();
  await page.screenshot({ path: '/tmp/d2.png' });
  await page.locator('::-p-aria([name="Change…"][role="button"])').click();
  await settle(); await new Promise((r) => setTimeout(r, 500));
  await page.screenshot({ path: '/tmp/d3.png' });
}
if (steps.includes('run')) {
  const all = await api('GET', '/deliveries');
  await page.goto(`${base}/deliveries/${all.find((d: any) => d.profileName === 'Game').id}`); await settle();
  await page.locator('::-p-text(Deliver 9 files)').click();
  await settle(); await idle(); await settle();
  await page.screenshot({ path: '/tmp/d4.png' });
}
if (steps.includes('setup')) {
  await page.goto(`${base}/setup?show=names`); await settle();
  await page.locator('::-p-text(Licences)').click(); await settle();
  await page.screenshot({ path: '/tmp/l1.png' });
  await page.locator('::-p-text(■ Terms…)').click(); await settle(); await new Promise((r) => setTimeout(r, 500));
  await page.screenshot({ path: '/tmp/l2.png' });
  await page.goto(`${base}/today`); await settle();
  await page.screenshot({ path: '/tmp/l3.png' });
  await page.goto(`${base}/catalogue?q=category:doors`); await settle();
  await page.locator("[role=\"grid\"] [role=\"row\"]:nth-child(2)").click(); await settle();
  await page.evaluate(() => [...document.querySelectorAll('h2')].find((h) => h.textContent?.trim() === 'Rights')?.scrollIntoView());
  await page.screenshot({ path: '/tmp/l4.png' });
}
await close();
