import { spawnSync } from 'node:child_process';
import { readFileSync, readdirSync } from 'node:fs';
import type { Page } from '@playwright/test';
import { cards, expect, keepRules, openBench, seriousFaults, test } from './app';

test.use({ house: 'recipes' });

/** A Blu-ray with a small picture: what recipes do is seen as well on it, and sooner. */
const HAVEN = 'Haven & Harbour';
async function readHaven(page: Page): Promise<void> {
  await page.getByRole('button', { name: 'Read all that are new' }).click();
  await expect(page.getByRole('link', { name: HAVEN, exact: true })).toBeVisible();
}

interface Sidecar {
  recipe: string;
  copy: { recipe: { name: string } } | null;
  proof: { passed: boolean };
}

test('a recipe of the archive’s own: changed, seen on a title, used for a reel beside another, and in the vault', async ({
  page,
  app,
  open,
  complaints,
}) => {
  await open('/');
  await readHaven(page);
  await page.getByRole('link', { name: 'Recipes' }).click();
  await page.locator('[data-recipe=lending]').click();
  const does = page.getByRole('region', { name: 'What it does' });
  await page.getByLabel('Disc', { exact: true }).selectOption({ label: HAVEN });
  await expect(does).toContainText('320 × 180');
  await expect(does).toContainText('MP4 can not carry subtitles that are pictures');
  // As it came it can not be changed; a duplicate can.
  await expect(page.getByLabel('Name of the recipe')).toBeDisabled();
  await page.getByRole('button', { name: 'Duplicate and change' }).click();
  await page.getByLabel('Name of the recipe').fill('For the island school');
  await page.getByLabel('Rows at the most').fill('90');
  await expect(does).toContainText('160 × 90');
  await page.getByLabel('Behind the file’s name').fill(' /school');
  await expect(page.getByRole('alert').filter({ hasText: 'not allowed in a file name' })).toBeVisible();
  await expect(page.getByRole('button', { name: 'Keep' })).toBeDisabled();
  await page.getByLabel('Behind the file’s name').fill(' (school)');
  await page.getByLabel('Quality', { exact: true }).fill('30');
  expect(await seriousFaults(page)).toEqual([]);
  await page.getByRole('button', { name: 'Keep' }).click();
  await expect(page.getByRole('heading', { name: 'For the island school' })).toBeVisible();

  // A file that is none is refused with the reason; the archive's own, saved and taken in again, is there once.
  const input = page.getByLabel('Recipes from a file');
  await input.setInputFiles({ name: 'x.json', mimeType: 'application/json', buffer: Buffer.from('{"kind":"other"}') });
  await expect(page.getByText('This file holds no recipes that can be used here')).toBeVisible();
  const download = page.waitForEvent('download');
  await page.getByRole('button', { name: 'Save as a file' }).click();
  const saved = readFileSync(await (await download).path(), 'utf8');
  await input.setInputFiles({ name: 'y.json', mimeType: 'application/json', buffer: Buffer.from(saved) });
  await expect(page.getByText('All of them are here already').first()).toBeVisible();
  await expect(page.getByRole('button', { name: /^For the island school/ })).toHaveCount(1);

  await page.getByRole('link', { name: /^Shelf/ }).click();
  await openBench(page, HAVEN);
  await cards(page).first().getByRole('button', { name: 'More recipes' }).click();
  await page.getByRole('menuitem', { name: /For the island school/ }).click();
  await page.getByLabel('Access copy').check();
  await page.getByLabel('Lossless master').uncheck();
  await page.getByLabel('Name of the reel').fill('Two copies');
  await page.getByRole('link', { name: 'Recipes' }).click();
  await page.getByRole('button', { name: /^For the island school/ }).click();
  await expect(page.getByText('Two copies')).toBeVisible();
  await expect(page.getByRole('button', { name: 'Remove' })).toBeDisabled();

  await page.getByRole('link', { name: /^Shelf/ }).click();
  await openBench(page, HAVEN);
  await page.getByRole('button', { name: /^Queue 1 reel/ }).click();
  await page.getByRole('link', { name: /^Queue/ }).click();
  const job = page.getByRole('listitem', { name: 'Job Two copies' });
  await expect(job).toContainText('For the island school and Access copy');
  await expect(job.getByText('in the vault', { exact: true })).toBeVisible();
  expect(app.results().filter((n) => n.startsWith('Two copies') && !n.endsWith('.json'))).toEqual([
    'Two copies (school).mp4',
    'Two copies.mp4',
  ]);
  const sidecar = JSON.parse(readFileSync(`${app.library}/Two copies (school).mp4.json`, 'utf8')) as Sidecar;
  expect(sidecar).toMatchObject({ copy: { recipe: { name: 'For the island school' } }, proof: { passed: true } });
  const { stdout } = spawnSync(
    'ffprobe',
    [
      '-v',
      'error',
      '-select_streams',
      'v:0',
      '-show_entries',
      'stream=width,height',
      '-of',
      'csv=p=0',
      `${app.library}/Two copies (school).mp4`,
    ],
    { encoding: 'utf8' },
  );
  expect(stdout.trim()).toBe('160,90');

  await page.getByRole('link', { name: /^Vault/ }).click();
  await page.getByRole('button', { name: /Two copies.*For the island school/ }).click();
  const detail = page.getByRole('region', { name: 'Two copies (school).mp4' });
  await expect(detail).toContainText('For the island school');
  const outcome = detail.getByRole('region', { name: 'Outcome' });
  await expect(outcome).toContainText(/SSIM 0\.9\d+, worst picture/);
  await expect(outcome.getByRole('listitem').filter({ hasText: 'any phone of the last ten years' })).toContainText('✓');
  await expect.poll(() => page.getByTestId('player').evaluate((v: HTMLVideoElement) => v.duration)).toBeGreaterThan(6);
  expect(complaints).toEqual([]);
});

test('copies of a master are ordered in the Vault, without its disc; by a house rule some go to a folder of their own', async ({
  page,
  app,
  open,
  complaints,
}) => {
  await open('/rules');
  await page.getByLabel('Another place for').selectOption({ label: 'Lending copy' });
  const place = page.getByRole('group', { name: 'Where Lending copy goes' });
  await place.getByLabel('own folder').check();
  await place.getByRole('button', { name: 'Add a part to the folder of lending copy' }).click();
  await page.getByRole('menuitem', { name: 'a text' }).click();
  await page.getByLabel('Text', { exact: true }).fill('For readers');
  await expect(place).toContainText('folder “For readers”');
  await keepRules(page);
  await page.getByRole('link', { name: /^Shelf/ }).click();
  await readHaven(page);
  await openBench(page, HAVEN);
  await page.getByLabel('Name of the reel').fill('Harbour light');
  await page.getByRole('button', { name: /^Queue 1 reel/ }).click();
  await page.getByRole('link', { name: /^Queue/ }).click();
  const job = page.getByRole('listitem', { name: 'Job Harbour light' });
  await expect(job.getByText('in the vault', { exact: true })).toBeVisible();
  await page.getByRole('link', { name: /^Vault/ }).click();
  await page.getByRole('button', { name: /Harbour light.*Lossless master/ }).click();
  await page.getByRole('button', { name: 'Make copies…' }).click();
  const dialog = page.getByRole('dialog', { name: 'Copies of Harbour light' });
  await expect(dialog.getByRole('button', { name: 'Queue', exact: true })).toBeDisabled();
  await dialog.getByLabel('Lending copy').check();
  await dialog.getByLabel('For a catalogue page').check();
  expect(await seriousFaults(page)).toEqual([]);
  await dialog.getByRole('button', { name: 'Queue 2 copies' }).click();
  await expect(dialog).toBeHidden();
  await page.getByRole('link', { name: /^Queue/ }).click();
  await expect(page.getByRole('listitem', { name: 'Job Harbour light' }).getByText('in the vault', { exact: true })).toHaveCount(2);
  expect(app.results().filter((n) => n.startsWith('Harbour light') && !n.endsWith('.json'))).toEqual([
    'Harbour light (page).webm',
    'Harbour light.mkv',
  ]);
  expect(readdirSync(`${app.library}/For readers`)).toEqual(['Harbour light (lending).mp4', 'Harbour light (lending).mp4.json']);
  const [page1, master] = ['Harbour light (page).webm', 'Harbour light.mkv'].map(
    (n) => JSON.parse(readFileSync(`${app.library}/${n}.json`, 'utf8')) as { disc: object; segments: object; proof: { passed: boolean } },
  );
  expect(page1).toMatchObject({ disc: master?.disc, segments: master?.segments, proof: { passed: true } });
  // The WebM plays as it is.
  await page.getByRole('link', { name: /^Vault/ }).click();
  await page.getByRole('button', { name: /Harbour light.*For a catalogue page/ }).click();
  await expect.poll(() => page.getByTestId('player').evaluate((v: HTMLVideoElement) => v.duration)).toBeGreaterThan(0.5);
  expect(complaints).toEqual([]);
});
