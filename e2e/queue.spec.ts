import { existsSync, readFileSync, readdirSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { cards, expect, openBench, readImage, seriousFaults, test } from './app';

test.use({ house: 'queue' });

test('the queue is arranged by menu, key and for many at once; it is held, paused, and goes on; nothing is lost', async ({
  page,
  app,
  open,
  complaints,
}) => {
  await open('/queue');
  await page.getByRole('button', { name: 'Begin no new jobs' }).click();
  await expect(page.getByText('Nothing new is begun.')).toBeVisible();
  await open('/');
  await readImage(page, 'LOCKS.iso', 'Locks');
  await openBench(page, 'Locks');
  await expect(cards(page)).toHaveCount(3);
  await page.keyboard.press('q');
  await page.getByText('Everything planned is on the queue.').waitFor();
  await open('/queue');
  const rows = page.getByRole('listitem', { name: /^Job / });
  await expect(rows).toHaveCount(3);
  const names = () => rows.evaluateAll((all) => all.map((row) => row.getAttribute('aria-label') ?? ''));
  const [first = '', second = '', third = ''] = await names();
  const named = (label: string) => label.slice('Job '.length);
  await page.getByRole('button', { name: `What to do with ${named(third)}` }).click();
  await page.getByRole('menuitem', { name: 'To the front' }).click();
  await expect.poll(names).toEqual([third, first, second]);
  await page.getByRole('checkbox', { name: `Choose ${named(third)}` }).focus();
  await page.keyboard.press('Alt+ArrowDown');
  await expect.poll(names).toEqual([first, third, second]);
  // By the pointer, too.
  const handle = (label: string) => page.getByRole('button', { name: `Move ${named(label)}` });
  await handle(second).hover();
  await page.mouse.down();
  const box = await handle(first).boundingBox();
  await page.mouse.move(box?.x ?? 0, (box?.y ?? 0) + 20, { steps: 5 });
  await page.mouse.move((box?.x ?? 0) + 5, (box?.y ?? 0) + 6, { steps: 5 });
  await page.mouse.up();
  await expect.poll(names).toEqual([second, first, third]);
  expect(await seriousFaults(page)).toEqual([]);
  // Two at once; a third is to begin later.
  await page.getByRole('checkbox', { name: `Choose ${named(first)}` }).check();
  await page.getByRole('checkbox', { name: `Choose ${named(third)}` }).check();
  const many = page.getByRole('region', { name: 'What to do with the chosen jobs' });
  await many.getByRole('button', { name: 'Pause' }).click();
  await expect(rows.filter({ hasText: 'on hold' })).toHaveCount(2);
  await many.getByRole('button', { name: 'Begin at…' }).click();
  await page.getByRole('dialog').getByRole('button', { name: 'Begin then' }).click();
  await expect(rows.filter({ hasText: /begins/ })).toHaveCount(2);
  await page.reload();
  await expect.poll(names).toEqual([second, first, third]);
  await expect(rows.filter({ hasText: 'on hold' })).toHaveCount(2);
  // What may begin does; the others wait.
  await page.getByRole('button', { name: 'Begin new jobs again' }).click();
  const job = (label: string) => page.getByRole('listitem', { name: label, exact: true });
  await expect(job(second)).toContainText('in the vault');
  await expect(rows.filter({ hasText: 'on hold' })).toHaveCount(2);
  await job(first)
    .getByRole('button', { name: `What to do with ${named(first)}` })
    .click();
  await page.getByRole('menuitem', { name: 'Begin at…' }).click();
  await page.getByRole('dialog').getByRole('button', { name: 'As soon as it can' }).click();
  await job(first).getByRole('button', { name: 'Go on' }).click();
  await expect(job(first)).toContainText('in the vault');
  await page.getByRole('checkbox', { name: `Choose ${named(third)}` }).check();
  await many.getByRole('button', { name: 'Cancel' }).click();
  await many.getByRole('button', { name: 'Really cancel 1' }).click();
  await expect(job(third)).toContainText('cancelled');
  // Only what is looked for is listed.
  await page.getByLabel('Jobs with these words').fill(named(first));
  await expect(rows).toHaveCount(1);
  await page.getByLabel('Jobs with these words').fill('no such film');
  await expect(page.getByText('No job is like that')).toBeVisible();
  // All of it is over: that is said wherever one is, and leads to what became of each.
  await page
    .getByText(/^The queue is done\. 3 jobs: 2 in the vault, proven and 1 cancelled\./)
    .first()
    .waitFor();
  await page.getByRole('link', { name: 'Report' }).first().click();
  await expect(page.getByRole('heading', { level: 1, name: 'Report of the queue' })).toBeVisible();
  await expect(page.getByRole('row')).toHaveCount(4);
  expect(await seriousFaults(page)).toEqual([]);
  const saved = page.waitForEvent('download');
  await page.getByRole('button', { name: 'Save as a table' }).click();
  const file = await saved;
  expect(
    readFileSync(await file.path(), 'utf8')
      .split('\r\n')
      .filter(Boolean),
  ).toHaveLength(4);
  expect(app.results().filter((n) => n.endsWith('.mkv'))).toHaveLength(2);
  // Years later: what is still the same is said to be, and what is not is found, whatever its proof says of the day it was made.
  await open('/vault');
  const checks = page.getByRole('region', { name: 'Checks of the files' });
  await checks.getByRole('button', { name: 'Check all files' }).click();
  await expect(checks).toContainText('2 files, all still what they were.');
  const spoilt = path.join(app.library, `${named(second)}.mkv`);
  const data = readFileSync(spoilt);
  data[5000] = (data[5000] ?? 0) ^ 1;
  writeFileSync(spoilt, data);
  await checks.getByRole('button', { name: 'Check all files' }).click();
  await expect(checks).toContainText('2 files, 1 still what they were.');
  await checks.getByRole('button', { name: `${named(second)}.mkv` }).click();
  await expect(page.getByText(/it was no longer what it was/)).toBeVisible();
  const files = page.getByRole('region', { name: 'Files', exact: true });
  await expect(files.getByRole('button', { name: new RegExp(named(second)) })).toContainText('changed');
  await expect(files.getByRole('button', { name: new RegExp(named(first)) })).not.toContainText('changed');
  expect(await seriousFaults(page)).toEqual([]);
  await checks.getByLabel('How often all files are checked').selectOption({ label: 'every 30 days' });
  await page.reload();
  await expect(checks.getByLabel('How often all files are checked')).toHaveValue('30');
  expect(complaints).toEqual([]);
});

test('what was cancelled is tried again under another name; what follows the queue is called off in time', async ({
  page,
  app,
  open,
  complaints,
}) => {
  await open('/queue');
  const job = page.getByRole('listitem', { name: /^Job / }).filter({ hasText: 'cancelled' });
  await page.getByLabel('After the queue').selectOption({ label: 'after the last job: “Leave a note”' });
  await job.getByRole('button', { name: 'Retry with changes…' }).click();
  const dialog = page.getByRole('dialog');
  expect(await seriousFaults(page)).toEqual([]);
  // A name that is taken is said before anything is done.
  const taken = app.results().find((n) => n.endsWith('.mkv')) ?? '';
  await dialog.getByLabel('File name').fill(taken.replace(/\.mkv$/, ''));
  await dialog.getByRole('button', { name: 'Retry' }).click();
  await expect(dialog.getByRole('alert')).toContainText('already has a file');
  await dialog.getByLabel('File name').fill('Another name');
  await dialog.getByRole('button', { name: 'Retry' }).click();
  await expect(dialog).toBeHidden();
  await expect.poll(() => app.results()).toContain('Another name.mkv');
  await expect(page.getByText(/“Leave a note” in \d+ s/)).toBeVisible();
  await page.getByRole('button', { name: 'Don’t' }).click();
  await expect(page.getByLabel('After the queue')).toHaveValue('nothing');
  // The browser itself says of a refused request that it was.
  expect(complaints.filter((c) => !c.includes('409 (Conflict)'))).toEqual([]);
});

test('an empty browser is filled again from what the library knows', async ({ page, app, open, browser }) => {
  await open('/vault');
  const cardsFolder = path.join(app.library, '.careful-vault', 'catalogue');
  await open('/');
  await page.getByRole('link', { name: 'Locks', exact: true }).waitFor();
  await expect.poll(() => (existsSync(cardsFolder) ? readdirSync(cardsFolder).length : 0)).toBeGreaterThan(0);
  // What the engine has read since it started it would tell any page of.
  app.kill('engine');
  const empty = await (await browser.newContext()).newPage();
  await empty.goto(`${app.address}/`);
  await expect(empty.getByText(/^The library knows 1 disc that is not in this browser’s catalogue/)).toBeVisible();
  await empty.getByRole('button', { name: 'Put it on the shelf…' }).click();
  await empty.getByRole('dialog').getByRole('button', { name: 'Take it in' }).click();
  await expect(empty.getByRole('link', { name: 'Locks', exact: true })).toBeVisible();
  await expect(empty.getByText(/^The library knows/)).toBeHidden();
  await empty.context().close();
});
