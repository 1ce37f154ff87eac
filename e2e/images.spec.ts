import { spawnSync } from 'node:child_process';
import { readFileSync, readdirSync } from 'node:fs';
import path from 'node:path';
import { expect, openBench, queueAs, seriousFaults, test } from './app';

test.use({ house: 'images' });

const QUAY = path.resolve('.cache/fixtures/proving/discs/QUAY.iso');

test('a scratched disc becomes an image, another copy fills its gap, and a film is made of it without either', async ({
  page,
  app,
  open,
}) => {
  await open('/');
  const insert = page.getByLabel('Insert a disc into Tray 1');
  await insert.selectOption({ label: 'The quay, scratched' });
  await expect(page.getByText('ready', { exact: true })).toBeVisible();
  await page.getByRole('button', { name: 'Image…' }).click();
  const asking = page.getByRole('dialog', { name: 'An image of The quay, scratched' });
  await asking.getByLabel('Name of the image').fill('Quay');
  await asking.getByLabel('Times that bad sectors are tried once more').fill('0');
  expect(await seriousFaults(page)).toEqual([]);
  await asking.getByRole('button', { name: 'Take the image' }).click();
  await expect(asking).toBeHidden();
  const images = page.getByRole('region', { name: 'Images in the library' });
  const row = images.getByRole('button', { name: /^Quay/ });
  await expect(row).toContainText('3 sectors of 7.52 MB not read');
  await expect(row).toContainText('with gaps');
  const file = path.join(app.library, 'Disc images', 'Quay.iso');
  expect(readFileSync(file).equals(readFileSync(QUAY))).toBe(false);
  await expect(page.getByRole('columnheader', { name: 'Worn' })).toBeVisible();

  await row.click();
  const detail = page.getByRole('dialog', { name: 'Quay' });
  await expect(detail).toContainText('1 gap: 3 from sector 2,600');
  await expect(detail.getByRole('img', { name: 'What was read, along the disc' })).toBeVisible();
  expect(await seriousFaults(page)).toEqual([]);
  await page.keyboard.press('Escape');
  await insert.selectOption({ label: 'The quay, worn' });
  await expect(page.getByRole('paragraph').filter({ hasText: 'The quay, worn' })).toBeVisible();
  await expect(page.getByText('ready', { exact: true })).toBeVisible();
  await row.click();
  await expect(detail.getByLabel('The disc, or another copy of it')).toContainText('The quay, worn, in Tray 1');
  await detail.getByRole('button', { name: 'Go on', exact: true }).click();
  await expect(detail).toContainText('every sector read');
  expect(readFileSync(file).equals(readFileSync(QUAY))).toBe(true);
  await expect(detail.getByRole('row', { name: /The quay, worn in Tray 1.*6\.14 kB.*1/ })).toBeVisible();
  await page.keyboard.press('Escape');

  await page.getByRole('button', { name: 'Eject' }).click();
  await expect(page.getByText('empty', { exact: true })).toBeVisible();
  await openBench(page, 'Quay');
  await expect(page.getByLabel('Read from')).toHaveValue(/^place images-of-library Quay\.iso/);
  await queueAs(page, 'Out of the image');
  await page.getByRole('link', { name: /^Queue/ }).click();
  await expect(page.getByRole('listitem', { name: 'Job Out of the image' }).getByText('in the vault', { exact: true })).toBeVisible();
  expect(app.results()).toEqual(expect.arrayContaining(['Out of the image.mkv', 'Out of the image.mkv.json']));

  // And handed on, in a form that a program of another house checks.
  await page.getByRole('link', { name: /^Vault/ }).click();
  await page.getByRole('button', { name: 'Bag…' }).click();
  const bag = page.getByRole('dialog', { name: 'A bag to hand on' });
  await bag.getByLabel('Name of the bag').fill('For the city');
  await bag.getByLabel('Organization that hands it on').fill('The museum');
  expect(await seriousFaults(page)).toEqual([]);
  await bag.getByRole('button', { name: 'Make the bag' }).click();
  await expect(page.getByRole('list', { name: 'Bags' })).toContainText('made, and whole');
  const cwd = path.join(app.library, 'Bags', 'For the city');
  const kind = readdirSync(cwd).includes('manifest-sha512.txt') ? 'sha512' : 'sha256';
  for (const list of [`manifest-${kind}.txt`, `tagmanifest-${kind}.txt`])
    expect(spawnSync(`${kind}sum`, ['--strict', '--check', list], { cwd }).status).toBe(0);
  expect(readFileSync(path.join(cwd, 'bag-info.txt'), 'utf8')).toContain('Source-Organization: The museum');
  expect(
    readFileSync(path.join(cwd, 'data', 'Out of the image.mkv')).equals(readFileSync(path.join(app.library, 'Out of the image.mkv'))),
  ).toBe(true);

  // Discarded, had back by the way that says so, discarded again, and deleted on purpose.
  const kept = readFileSync(path.join(app.library, 'Out of the image.mkv'));
  const discard = page.getByRole('button', { name: 'Discard', exact: true });
  await discard.click();
  await expect(page.getByText('Nothing has been made yet')).toBeVisible();
  await page.getByRole('button', { name: 'Undo' }).click();
  await expect(discard).toBeVisible();
  expect(readFileSync(path.join(app.library, 'Out of the image.mkv')).equals(kept)).toBe(true);
  await discard.click();
  await page.getByRole('button', { name: '1 result discarded' }).click();
  const trash = page.getByRole('dialog', { name: 'Discarded' });
  await expect(trash.getByRole('listitem')).toContainText('Out of the image.mkv in Museum library');
  expect(await seriousFaults(page)).toEqual([]);
  await trash.getByRole('button', { name: 'Delete all for good…' }).click();
  await trash.getByRole('button', { name: 'Delete them' }).click();
  await expect(trash.getByRole('listitem')).toHaveCount(0);
  expect(app.results()).not.toContain('Out of the image.mkv');
});
