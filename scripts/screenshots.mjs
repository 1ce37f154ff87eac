// npm run screenshots: drives the application on the demo archive and keeps one picture of each main view in docs/screenshots.
import { mkdirSync, mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { ensurePackages, ensurePrograms, root } from './ensure.mjs';

await ensurePrograms(['ffmpeg', 'dvdauthor', 'spumux', 'genisoimage', 'setpriv', 'chromium-headless-shell', 'tesseract']);
await ensurePackages();
const { buildAll } = await import('./build.mjs');
const { makeAllDiscs, startDemo } = await import('./demo-app.mjs');
const { launchChromium } = await import('./chromium.mjs');
await buildAll('all');
const cache = path.join(root, '.cache', 'fixtures', 'demo');
await makeAllDiscs(cache);
const data = mkdtempSync(path.join(tmpdir(), 'careful-vault-pictures-'));
const target = path.resolve(process.argv[2] ?? path.join(root, 'docs', 'screenshots'));
mkdirSync(target, { recursive: true });
const { stop, address } = await startDemo(cache, data, 4700);

const browser = await launchChromium();
const page = await (await browser.newContext({ viewport: { width: 1280, height: 800 }, colorScheme: 'light' })).newPage();
const shot = async (name, theme = 'light') => {
  await page.evaluate((t) => (document.documentElement.dataset.theme = t), theme);
  await page.waitForTimeout(350);
  await page.screenshot({ path: path.join(target, `${name}.png`) });
  console.log(`  ${name}`);
};
const read = async (file, name) => {
  await page.getByRole('button', { name: `Read ${file}`, exact: true }).click();
  await page.getByRole('link', { name, exact: true }).waitFor();
};
const bench = async (name, button) => {
  await page.goto(`${address}/`);
  await page.getByRole('link', { name, exact: true }).first().click();
  await page.getByRole('button', { name: button }).waitFor();
  await page.waitForTimeout(600);
};
const pictures = () =>
  page.waitForFunction(() => document.querySelectorAll('section[aria-label=Pictures] img').length >= 16, null, { timeout: 30_000 });
const queueAll = async (button) => {
  await page.getByRole('button', { name: button }).click();
  await page.getByText('Everything planned is on the queue').waitFor();
};
try {
  await page.goto(address);
  await page.getByText('Tray 1').waitFor();
  await read('SEALED_LETTERS.iso', 'Sealed Letters');
  await bench('Sealed Letters', /^Queue/);
  await shot('bench-protected');
  await page.goto(address);
  await read('LONG_HAUL.iso', 'The Long Haul: Herring Drifters of the Outer Bank');
  await bench('The Long Haul: Herring Drifters of the Outer Bank', /^Queue/);
  await page.getByRole('option', { name: /^Title 1,/ }).click();
  await pictures();
  await shot('bench-cuts');
  await page.getByRole('button', { name: 'Compare', exact: true }).click();
  await page.getByRole('dialog').locator('img').nth(1).waitFor();
  await shot('compare');
  await page.getByRole('radio', { name: 'two audio tracks' }).click();
  await page.getByRole('button', { name: 'Compare them' }).click();
  await page.getByText(/^They (sound|have)|byte for byte/).waitFor({ timeout: 60_000 });
  await page.waitForTimeout(1500);
  await shot('compare-tracks');
  await page.keyboard.press('Escape');
  await page.goto(address);
  await read('NIGHT_FERRY.iso', 'Night Ferry');
  await bench('Night Ferry', /^Queue/);
  await pictures();
  await shot('bench-decoys');
  await page.goto(address);
  await read('TIDE_TABLES.iso', 'Tide Tables');
  await read('LAMPLIGHTERS.iso', 'Lamplighters');
  await bench('Lamplighters', /^Queue 1 reel/);
  await pictures();
  await page.getByRole('button', { name: 'Measure sound and picture' }).click();
  await page.getByRole('button', { name: 'Measure again' }).waitFor({ timeout: 60_000 });
  await shot('bench');
  await shot('bench-dark', 'dark');
  await page.evaluate(() => (document.documentElement.dataset.theme = 'light'));
  await page.goto(`${address}/recipes`);
  await page.locator('[data-recipe=lending]').click();
  await page.getByLabel('Disc', { exact: true }).selectOption({ label: 'Lamplighters' });
  await shot('recipes');
  await page.getByRole('button', { name: 'Rehearse', exact: true }).click();
  await page.getByAltText('as it will be').waitFor({ timeout: 60_000 });
  await shot('rehearsal');
  await page.getByRole('radio', { name: 'what it takes' }).click();
  await page.getByRole('button', { name: 'Try', exact: true }).click();
  await page.getByRole('button', { name: 'Stop', exact: true }).waitFor();
  await page.getByRole('button', { name: 'Try', exact: true }).waitFor({ timeout: 180_000 });
  await shot('trial');
  await page.keyboard.press('Escape');
  await bench('Lamplighters', /^Queue 1 reel/);
  await page.getByRole('tab', { name: /^Tracks/ }).click();
  await page.getByRole('button', { name: 'Add a sound file' }).click();
  await page.getByRole('button', { name: 'Beside the discs' }).click();
  await page.getByRole('button', { name: 'Add keeper-talk.flac' }).click();
  await page.getByLabel('Name of the added sound').fill('The keeper speaks');
  await page.getByLabel('Also as files beside the result').check();
  await shot('reel-editor');
  await page.keyboard.press('Escape');
  await page.getByRole('button', { name: 'About this disc' }).click();
  await page.getByLabel('Labels').fill('first delivery');
  await page.getByRole('button', { name: 'Keep', exact: true }).click();
  // A short extra with an access copy, so that the queue shows an encoder at work.
  await page.getByRole('option', { name: /^Title 3/ }).click();
  await page.keyboard.press('t');
  await page.getByLabel('Access copy').nth(1).check();
  await page.getByLabel('Folder in the library').fill('Documentaries');
  await queueAll(/^Queue 2 reels/);
  await bench('Tide Tables', /^Queue 4 reels/);
  await pictures();
  await shot('bench-series');
  await page.goto(`${address}/`);
  await read('LOW_LIGHT_REEF', 'Low Light Reef');
  await bench('Low Light Reef', /^Queue 1 reel/);
  await page.getByRole('button', { name: 'Measure sound and picture' }).click();
  await page
    .getByRole('tab', { name: /^Tracks/ })
    .or(page.getByRole('button', { name: /^Tracks/ }))
    .first()
    .click();
  await page.getByText('Samples agree').waitFor({ timeout: 60_000 });
  await page
    .getByRole('button', { name: /^Look at/ })
    .nth(6)
    .click();
  await page.getByLabel('Eyes that are shown').selectOption('glasses');
  await page.waitForTimeout(2500);
  await shot('bench-eyes');
  await page.goto(`${address}/rules`);
  await page.getByRole('button', { name: /^Add a preferred language/ }).click();
  await page.getByRole('listbox', { name: 'Add a preferred language' }).getByRole('option', { name: 'English' }).first().click();
  await page.getByLabel('Which audio').selectOption('preferred');
  await shot('rules');
  await bench('Tide Tables', /^Queue 4 reels/);
  await queueAll(/^Queue 4 reels/);
  await page.getByRole('link', { name: /^Queue/ }).click();
  await page.getByText('× playing time').first().waitFor({ timeout: 90_000 });
  await page.waitForTimeout(1500);
  await shot('queue');
  await page.getByRole('list', { name: 'Jobs' }).getByText('in the vault', { exact: true }).nth(5).waitFor({ timeout: 240_000 });
  await page.goto(`${address}/`);
  await page.getByLabel('Insert a disc into Tray 1').selectOption({ label: 'Tide Tables' });
  await page.getByRole('table', { name: 'Discs' }).getByText('in the vault', { exact: true }).first().waitFor();
  await page.waitForTimeout(2500);
  await shot('shelf');
  await page.getByLabel('Insert a disc into Tray 1').selectOption({ label: 'The Lamplighters, worn copy' });
  await page.getByText('ready', { exact: true }).waitFor();
  await page.getByRole('button', { name: 'Image…' }).click();
  await page.getByLabel('Name of the image').fill('The Lamplighters');
  await page.getByRole('button', { name: 'Take the image' }).click();
  const image = page.getByRole('region', { name: 'Images in the library' }).getByRole('button');
  await image.getByText('with gaps').waitFor({ timeout: 600_000 });
  await page.waitForTimeout(9000);
  await image.click();
  await page.getByRole('dialog').getByText('Its map has them all').waitFor();
  await page.waitForTimeout(800);
  await shot('disc-image');
  await page.keyboard.press('Escape');
  await page.getByRole('link', { name: /^Vault/ }).click();
  await page
    .getByRole('button', { name: /^Lamplighters ?Lossless master/ })
    .first()
    .click();
  await page.waitForFunction(() => (document.querySelector('video')?.readyState ?? 0) >= 2, null, { timeout: 60_000 });
  await page.getByLabel('Play from').selectOption({ index: 3 });
  await page.waitForTimeout(300);
  await page.waitForFunction(() => (document.querySelector('video')?.readyState ?? 0) >= 2, null, { timeout: 60_000 });
  await shot('vault');
  await page.getByRole('button', { name: 'Make copies…' }).click();
  await page.getByLabel('Access copy').check();
  await page.getByLabel('Preservation frames').check();
  await shot('make-copies');
} finally {
  await browser.close();
  process.once('exit', () => rmSync(data, { recursive: true, force: true }));
  stop();
}
