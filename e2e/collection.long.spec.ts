import { readFileSync } from 'node:fs';
import { sampleCatalogue } from '../src/test-support/sample-catalogue';
import { expect, seriousFaults, test } from './app';

test.use({ house: 'collection' });

test('two thousand discs: taken in after a dry run, found, sorted, labelled, exported, and smooth', async ({ page, open, complaints }) => {
  await open('/');
  await page
    .getByLabel('Import a catalogue')
    .setInputFiles({ name: 'bad.json', mimeType: 'application/json', buffer: Buffer.from('{"format":"x"}') });
  await expect(page.getByText('Nothing was changed.')).toBeVisible();
  const sample = { name: 'sample.json', mimeType: 'application/json', buffer: Buffer.from(sampleCatalogue(2000)) };
  await page.getByLabel('Import a catalogue').setInputFiles(sample);
  const dialog = page.getByRole('dialog');
  await expect(dialog).toContainText('2000 discs would be added, 0 changed');
  await dialog.getByRole('button', { name: 'Take it in' }).click();
  await expect(page.getByRole('heading', { name: 'Collection, 2000 discs' })).toBeVisible();
  const table = page.getByRole('table', { name: 'Discs' });
  // Only what is seen is drawn, whatever the number.
  await expect.poll(() => table.getByRole('row').count()).toBeLessThan(60);
  await expect(table).toHaveAttribute('aria-rowcount', '2001');
  await page.keyboard.press('/');
  await page.keyboard.type('Kelp Ferry');
  await expect(table.getByRole('link').first()).toContainText('Kelp Ferry');
  const found = Number(await table.getAttribute('aria-rowcount')) - 1;
  expect(found).toBeGreaterThan(3);
  await page.getByLabel(/^choose all/).check();
  const bar = page.getByRole('region', { name: 'What to do with the chosen discs' });
  await expect(bar).toContainText(`${found} discs`);
  await bar.getByLabel('New label').fill('ferry files');
  await bar.getByRole('button', { name: 'Add label' }).click();
  await expect(bar).toContainText('“ferry files” is on');
  const download = page.waitForEvent('download');
  await bar.getByRole('button', { name: 'Export' }).click();
  const exported = JSON.parse(readFileSync(await (await download).path(), 'utf8')) as { discs: { labels: string[] }[] };
  expect(exported.discs).toHaveLength(found);
  expect(exported.discs.every((d) => d.labels.includes('ferry files'))).toBe(true);
  await bar.getByRole('button', { name: 'Choose none' }).click();
  await page.getByLabel('Search the collection').fill('');
  await page.getByLabel('Series or label').selectOption('label ferry files');
  await expect(table).toHaveAttribute('aria-rowcount', String(found + 1));
  await table.getByRole('button', { name: 'Disc', exact: true }).click();
  await expect(table.getByRole('columnheader', { name: /Disc/ })).toHaveAttribute('aria-sort', 'ascending');
  await page.getByLabel('Import a catalogue').setInputFiles(sample);
  await expect(dialog).toContainText(`${found} changed`);
  await dialog.getByRole('button', { name: 'Cancel' }).click();
  expect(await seriousFaults(page)).toEqual([]);
  await page.getByLabel(/^choose all/).check();
  await bar.getByRole('button', { name: 'Take off the shelf' }).click();
  await bar.getByRole('button', { name: 'Really take off the shelf' }).click();
  await expect(page.getByRole('heading', { name: `Collection, ${2000 - found} discs` })).toBeVisible();
  expect(complaints).toEqual([]);
});
