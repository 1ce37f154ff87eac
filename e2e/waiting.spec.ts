import { expect, openBench, queueAs, seriousFaults, test } from './app';

test.use({ house: 'waiting' });

test('a disc that is pulled out while it is read is asked for, and its job goes on when it is back', async ({
  page,
  app,
  open,
  complaints,
}) => {
  await open('/');
  await page.getByLabel('Insert a disc into Tray 1').selectOption({ label: 'The quay, slowly' });
  await openBench(page, 'Quay');
  await expect(page.getByLabel('Read from')).toHaveValue(/^drive /);
  app.hold();
  await queueAs(page, 'Pulled out');
  await page.getByRole('link', { name: /^Queue/ }).click();
  const job = page.getByRole('listitem', { name: 'Job Pulled out' });
  await expect(job).toContainText('reading the disc into the master,');
  await page.getByRole('link', { name: /^Shelf/ }).click();
  await page.getByRole('button', { name: 'Pull the disc out' }).click();
  await page.getByRole('link', { name: /^Queue/ }).click();
  await expect(job).toContainText('was taken out while it was read');
  app.letGo();
  await expect(job).toContainText('Put this disc into its drive: the job goes on by itself.');
  expect(app.results()).toEqual([]);
  expect(await seriousFaults(page)).toEqual([]);
  await page.getByRole('link', { name: /^Shelf/ }).click();
  await expect(page.getByText('empty', { exact: true })).toBeVisible();
  await page.getByLabel('Insert a disc into Tray 1').selectOption({ label: 'The quay, slowly' });
  await page.getByRole('link', { name: /^Queue/ }).click();
  await expect(job.getByText('in the vault', { exact: true })).toBeVisible();
  expect(app.results()).toContain('Pulled out.mkv');
  expect(complaints).toEqual([]);
});

test('a library without room, and one that is unplugged, hold a job up only for as long as they are so', async ({ page, app, open }) => {
  await open('/');
  await page.getByLabel('Insert a disc into Tray 1').selectOption({ label: 'The quay, slowly' });
  await openBench(page, 'Quay');
  await expect(page.getByLabel('Read from')).toHaveValue(/^drive /);
  if (await page.getByRole('button', { name: 'Plan again' }).isVisible()) await page.getByRole('button', { name: 'Plan again' }).click();
  await page.getByLabel('Library storage').selectOption('share');
  app.hold();
  await queueAs(page, 'To the share');
  await page.getByRole('link', { name: /^Queue/ }).click();
  const job = page.getByRole('listitem', { name: 'Job To the share' });
  await expect(job).toContainText('reading the disc into the master,');
  const empty = app.fillShare();
  app.letGo();
  await expect(job).toContainText('“Reading room share” has 0 MB free');
  await expect(job).toContainText('Jobs that wait for room go on by themselves.');
  await expect(job.getByRole('button', { name: 'Change it…' })).toBeVisible();
  expect(await seriousFaults(page)).toEqual([]);
  await page.getByRole('link', { name: /^Shelf/ }).click();
  const storages = page.getByRole('region', { name: 'Library storage' });
  await storages.getByRole('button', { name: 'Unplug' }).click();
  await expect(storages.getByRole('button', { name: 'Plug in' })).toBeVisible();
  expect(await seriousFaults(page)).toEqual([]);
  await page.getByRole('link', { name: /^Queue/ }).click();
  await expect(job).toContainText('The library storage “Reading room share” is not there');
  await page.getByRole('link', { name: /^Shelf/ }).click();
  await storages.getByRole('button', { name: 'Plug in' }).click();
  await page.getByRole('link', { name: /^Queue/ }).click();
  await expect(job).toContainText('“Reading room share” has 0 MB free');
  empty();
  await expect(job.getByText('in the vault', { exact: true })).toBeVisible();
});
