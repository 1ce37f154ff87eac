import { launchChromium } from './chromium.mjs';
const port = process.argv[2];
const steps = process.argv[3];
const browser = await launchChromium();
const page = await (await browser.newContext({ viewport: { width: 1280, height: 800 }, colorScheme: 'light' })).newPage();
page.on('console', (m) => { if (m.type() === 'error') console.log('CONSOLE', m.text().slice(0, 300)); });
page.on('pageerror', (e) => console.log('PAGEERROR', String(e).slice(0, 500)));
const address = `http://127.0.0.1:${port}`;
const shot = async (name) => { await page.waitForTimeout(300); await page.screenshot({ path: `/tmp/${name}.png` }); console.log('shot', name); };
const read = async (file, name) => {
  const button = page.getByRole('button', { name: `Read ${file}`, exact: true });
  await button.click();
  await page.getByRole('link', { name, exact: true }).first().waitFor();
};
const bench = async (name) => {
  await page.goto(`${address}/`);
  await page.getByRole('link', { name, exact: true }).first().click();
  await page.getByRole('button', { name: /^Queue/ }).waitFor();
  await page.waitForTimeout(600);
};
try {
  await page.goto(address);
  await page.getByText('Tray 1').waitFor();
  const code = await import('node:fs').then((fs) => fs.readFileSync(steps, 'utf8'));
  const AsyncFunction = Object.getPrototypeOf(async function () {}).constructor;
  await new AsyncFunction('page', 'shot', 'read', 'bench', 'address', code)(page, shot, read, bench, address);
} catch (e) { console.log('FAILED', String(e).slice(0, 600)); await shot('failed'); } finally { await browser.close(); }
