import { expect, seriousFaults, test } from './app';

test.use({ house: 'standing' });

test('an order is given, the page is closed, a disc is put in: the next page finds it queued, proven and given back', async ({
  page,
  app,
  open,
}) => {
  await open('/');
  await page.getByRole('button', { name: 'By itself…' }).click();
  const dialog = page.getByRole('dialog', { name: 'Discs by themselves' });
  await dialog.getByLabel('How sure the findings must be').selectOption({ label: 'more likely than not, 50 %' });
  expect(await seriousFaults(page)).toEqual([]);
  await dialog.getByRole('button', { name: 'Give the order' }).click();
  await expect(dialog).toBeHidden();
  const bar = page.getByRole('region', { name: 'Discs by themselves' });
  await expect(bar).toContainText('No disc has come yet.');
  await expect(bar).not.toContainText('have changed');
  await page.goto('about:blank');

  const headers = { 'x-careful-vault': '1' };
  const state = async () =>
    (await (await fetch(`${app.address}/api/state`, { headers })).json()) as {
      drives: { disc: string | null }[];
      jobs: { name: string; state: string }[];
    };
  const inserted = await fetch(`${app.address}/api/drives/tray-1/insert`, {
    method: 'POST',
    headers: { ...headers, 'content-type': 'application/json' },
    body: JSON.stringify({ disc: 'slow' }),
  });
  expect(inserted.status).toBe(200);
  await expect.poll(async () => (await state()).jobs.map((j) => j.state)).toContain('done');
  await expect.poll(async () => (await state()).drives[0]?.disc).toBeNull();
  expect(app.results().some((name) => name.endsWith('.mkv'))).toBe(true);

  await page.goto(`${app.address}/`);
  await expect(bar).toContainText('1 disc queued');
  const row = page.getByRole('row', { name: /Quay/ });
  await expect(row).toContainText('in the vault');
  await page.getByRole('button', { name: 'What became of the last discs' }).click();
  const outcome = page.getByRole('list', { name: 'Outcomes' }).getByRole('listitem');
  await expect(outcome).toHaveCount(1);
  await expect(outcome).toContainText('queued');
  expect(await seriousFaults(page)).toEqual([]);
  await outcome.getByRole('link', { name: 'To its Bench' }).click();
  await expect(page.getByText('in the vault').first()).toBeVisible();
  await page.goto(`${app.address}/`);
  await bar.getByRole('button', { name: 'End' }).click();
  await expect(page.getByRole('button', { name: 'By itself…' })).toBeVisible();
});
