import { cards, expect, openBench, queueAs, test } from './app';

test('what plays beside a title is listed, and taken: a commentary in clips of its own, a second picture as a title', async ({
  page,
  app,
  open,
  complaints,
}) => {
  app.layDisc('BESIDE');
  await open('/');
  await page.getByRole('button', { name: 'Read all that are new' }).click();
  await openBench(page, 'Beside');
  await page.getByRole('option', { name: /^Title 1,/ }).click();
  const film = page.getByRole('region', { name: 'Title 1' });
  await expect(film).toContainText('commentary, in a clip of its own');
  await expect(film).toContainText('A player can lay second pictures over it, which here are titles 3 and 4');
  for (const track of [/^Audio: Norwegian/, /^Audio: English.*commentary/]) {
    const box = film.getByRole('checkbox', { name: track });
    if (!(await box.isChecked())) await box.check();
  }
  await queueAs(page, 'Beside whole');
  await page.getByRole('option', { name: /^Title 4,/ }).click();
  const second = page.getByRole('region', { name: 'Title 4' });
  await expect(second).toContainText('a second picture, which a player can lay over title 1');
  await page.keyboard.press('t');
  const card = cards(page).filter({ hasText: 'title 4' });
  await card.getByLabel('Name of the reel').fill('Beside second');
  await page.getByRole('button', { name: /^Queue 1 reel/ }).click();
  await expect(page.getByText('Everything planned is on the queue.')).toBeVisible();
  await page.getByRole('link', { name: /^Queue/ }).click();
  for (const name of ['Beside whole', 'Beside second'])
    await expect(page.getByRole('listitem', { name: `Job ${name}` }).getByText('in the vault', { exact: true })).toBeVisible({
      timeout: 60_000,
    });
  await page.getByRole('link', { name: /^Vault/ }).click();
  await page.getByRole('button', { name: /Beside whole.*Lossless master/ }).click();
  await expect(page.getByRole('region', { name: 'Beside whole.mkv' })).toContainText('4 of 4 tracks bit-identical to what was read');
  await page.getByRole('button', { name: /Beside second.*Lossless master/ }).click();
  await expect(page.getByRole('region', { name: 'Beside second.mkv' })).toContainText('2 of 2 tracks bit-identical to what was read');
  expect(complaints).toEqual([]);
});
