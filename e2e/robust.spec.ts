import { expect, openBench, queueAs, seriousFaults, test } from './app';

test.use({ house: 'robust' });

test('the engine and the web server may die while a job runs; the page comes back, the job goes on', async ({ page, app, open }) => {
  await open('/');
  await page.getByLabel('Insert a disc into Tray 1').selectOption({ label: 'The quay, slowly' });
  await openBench(page, 'Quay');
  await expect(page.getByLabel('Read from')).toHaveValue(/^drive /);
  app.hold();
  await queueAs(page, 'Survivor');
  await page.getByRole('link', { name: /^Queue/ }).click();
  const job = page.getByRole('listitem', { name: 'Job Survivor' });
  await expect(job).toContainText('reading the disc into the master,');
  app.kill('engine');
  await expect(page.getByText('The engine does not answer')).toBeVisible();
  await expect(page.getByText('The engine does not answer')).toBeHidden();
  app.kill('web');
  app.letGo();
  await expect(job.getByText('in the vault', { exact: true })).toBeVisible();
  await expect
    .poll(async () =>
      page.reload().then(
        (r) => r?.status(),
        () => 0,
      ),
    )
    .toBe(200);
  await expect(job.getByText('in the vault', { exact: true })).toBeVisible();
  await expect(job).not.toContainText('attempt 2');
  expect(app.results()).toContain('Survivor.mkv');
});

test('an order torn by a power cut is shown, and sent again from what this browser has of it', async ({ page, app, open }) => {
  await open('/');
  await page.getByLabel('Insert a disc into Tray 1').selectOption({ label: 'The quay, slowly' });
  await openBench(page, 'Quay');
  await expect(page.getByLabel('Read from')).toHaveValue(/^drive /);
  if (await page.getByRole('button', { name: 'Plan again' }).isVisible()) await page.getByRole('button', { name: 'Plan again' }).click();
  app.hold();
  await queueAs(page, 'Torn apart');
  await page.getByRole('link', { name: /^Queue/ }).click();
  const job = page.getByRole('listitem', { name: 'Job Torn apart' });
  await expect(job).toContainText('reading the disc into the master,');
  const id = await page.evaluate(async () => {
    const state = (await (await fetch('/api/state', { headers: { 'x-careful-vault': '1' } })).json()) as {
      jobs: { id: string; name: string }[];
    };
    return state.jobs.find((j) => j.name === 'Torn apart')?.id ?? '';
  });
  app.tearOrder(id);
  app.letGo();
  const lost = page.getByRole('listitem', { name: 'Job A job whose order was lost' });
  await expect(lost).toContainText('it was torn, most likely by a power cut');
  await lost.getByRole('button', { name: 'Queue it again' }).click();
  await expect(lost).toHaveCount(0);
  await expect(job.getByText('in the vault', { exact: true })).toBeVisible();
  expect(app.results()).toContain('Torn apart.mkv');
});

test('a rescue copy with zeroed sectors makes no master until somebody has chosen; then every gap is named', async ({
  page,
  open,
  app,
}) => {
  const copy = app.layRescueCopy();
  await open('/');
  await page.getByRole('button', { name: 'Choose…' }).click();
  const dialog = page.getByRole('dialog');
  await dialog.getByRole('button', { name: 'Rescued' }).click();
  await dialog.getByRole('button', { name: /LOCKS\.iso/ }).click();
  await openBench(page, 'Locks');
  await expect(page.getByLabel('Read from')).toHaveValue(/Rescued/);
  // A few looks while reading need not have met it; reading it all for a master does.
  for (const n of [1, 3]) await page.getByLabel(`Remove the reel Locks - part ${n}`).click();
  await queueAs(page, 'Rescued lock');
  await page.getByRole('link', { name: /^Queue/ }).click();
  const failed = page.getByRole('listitem', { name: 'Job Rescued lock' });
  await expect(failed).toContainText('The disc is not whole');
  await expect(failed).toContainText('take what is there: gaps stay as long as they are');
  expect(await seriousFaults(page)).toEqual([]);
  await failed.getByRole('button', { name: 'Take what is there' }).click();
  await expect(failed.getByText('in the vault', { exact: true })).toBeVisible();
  await page.getByRole('link', { name: /^Vault/ }).click();
  await page.getByRole('button', { name: /Rescued lock.*proven, with gaps in \d+ places?/s }).click();
  const places = page.getByLabel('Places where the disc is not whole');
  await expect(places).toContainText(/6 sectors that hold nothing of the disc \(VTS_01, sectors 4,549 to 4,554\)/);
  await expect(page.getByText('What was read is, but for the places below, what the disc says there is')).toBeVisible();
  expect(await seriousFaults(page)).toEqual([]);
  // The disc's own map knows of it from now on.
  await page.getByRole('link', { name: /^Shelf/ }).click();
  await openBench(page, 'Locks');
  await page.getByRole('option', { name: /^Title 3/ }).click();
  await expect(page.getByRole('region', { name: 'Title 3' })).toContainText('1 chapter of it is damaged');
  expect(app.results()).toContain('Rescued lock.mkv');
  copy.takeAway();
});

test('what is no disc is said to be none, and other places can be looked through', async ({ page, open }) => {
  await open('/');
  await page.getByRole('button', { name: 'Read BROKEN.iso' }).click();
  await expect(page.getByRole('main').getByRole('alert')).toContainText('neither UDF nor ISO 9660 was found');
  await expect(page.getByRole('main').getByRole('alert')).toContainText('Choose a disc image');
  await page.getByRole('button', { name: 'Choose…' }).click();
  const dialog = page.getByRole('dialog');
  await dialog.getByRole('button', { name: 'Shelf 2' }).click();
  await dialog.getByRole('button', { name: 'Not a disc' }).click();
  await expect(dialog).toContainText('Nothing here that could be read.');
  await page.keyboard.press('Escape');
  await expect(dialog).toBeHidden();
});

test('all of it by keyboard: read, look, take, undo, queue', async ({ page, open, app }) => {
  await open('/');
  const tabTo = async (name: string | RegExp, role: 'button' | 'link') => {
    const target = page.getByRole(role, { name }).first();
    for (let i = 0; i < 40; i++) {
      if (await target.evaluate((element) => element === document.activeElement)) return;
      await page.keyboard.press('Tab');
    }
    throw new Error(`Tab does not reach ${name}`);
  };
  await tabTo('Read QUAY.iso', 'button');
  await page.keyboard.press('Enter');
  await expect(page.getByRole('link', { name: 'Quay', exact: true })).toBeVisible();
  await tabTo(/^Quay$/, 'link');
  await page.keyboard.press('Enter');
  await expect(page.getByRole('article')).toHaveCount(1);
  // Lanes by arrow, take by T, undo and redo.
  await page.getByRole('option', { name: /^Title 2/ }).focus();
  await page.keyboard.press('ArrowDown');
  await expect(page.getByRole('region', { name: 'Title 1' })).toBeVisible();
  await page.keyboard.press('t');
  await expect(page.getByRole('article')).toHaveCount(2);
  await page.keyboard.press('Control+z');
  await expect(page.getByRole('article')).toHaveCount(1);
  await page.keyboard.press('Control+Shift+z');
  await expect(page.getByRole('article')).toHaveCount(2);
  await page.keyboard.press('Control+z');
  await page.getByLabel('Name of the reel').fill('By hand');
  await page.getByLabel('Name of the reel').press('Escape');
  await page.getByRole('option', { name: /^Title 2/ }).focus();
  await page.keyboard.press('q');
  await expect(page.getByText('Everything planned is on the queue.')).toBeVisible();
  await expect.poll(() => app.results()).toContain('By hand.mkv');
});
