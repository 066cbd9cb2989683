import { openBrowser } from './browser/open-browser.ts';
const { page, close } = await openBrowser();
const [,, out='/tmp/shot', ...paths] = process.argv;
let n=0;
for (const p of paths) { await page.goto(`http://127.0.0.1:4780${p}`); await page.waitForNetworkIdle({idleTime:700, timeout:15000}).catch(()=>0); await page.screenshot({ path: `${out}${n++}.png` as `${string}.png` }); }
await close();
