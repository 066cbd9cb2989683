import { openBrowser } from './open-browser.ts';
const [base, ...steps] = process.argv.slice(2);
const { page, close } = await openBrowser();
page.on('console', (m) => { if (m.type()==='error'||m.type()==='warn') console.log('CONSOLE', m.text()); });
page.on('pageerror', (e) => console.log('PAGEERROR', String(e)));
page.on('requestfailed', r => console.log('FAILED', r.url(), r.failure()?.errorText));
let n=0;
for (const step of steps) {
  const [kind, ...rest] = step.split('='); const arg = rest.join('=');
  try {
  if (kind==='go') { await page.goto(base+arg, {waitUntil:'networkidle2', timeout: 15000}).catch(e=>console.log('nav', e.message)); }
  else if (kind==='click') await page.locator(arg).setTimeout(4000).click();
  else if (kind==='dbl') await page.locator(arg).setTimeout(4000).click({count:2});
  else if (kind==='key') await page.keyboard.press(arg as any);
  else if (kind==='type') await page.keyboard.type(arg);
  else if (kind==='wait') await new Promise(r=>setTimeout(r, Number(arg)));
  else if (kind==='shot') { await page.screenshot({path:`/tmp/shots/${arg}.png`}); }
  else if (kind==='eval') console.log(JSON.stringify(await page.evaluate(arg)));
  } catch (e) { console.log('STEP', step, String(e).slice(0,300)); }
}
await close();
