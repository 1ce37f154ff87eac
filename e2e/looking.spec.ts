import { spawnSync } from 'node:child_process';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { cards, expect, keepRules, openBench, queueAs, readImage, seriousFaults, settled, test } from './app';

test.use({ house: 'looking' });

test('a title is looked into: contact sheet, a moment, a preview with sound and subtitles, what is measured', async ({
  page,
  open,
  complaints,
}) => {
  await open('/');
  await readImage(page, 'QUAY.iso', 'Quay');
  await openBench(page, 'Quay');
  const dossier = page.getByRole('region', { name: 'Title 2' });
  const pictures = dossier.getByRole('region', { name: 'Pictures' });
  await expect(pictures.getByRole('button', { name: /^Look at/ })).toHaveCount(16);
  await expect.poll(() => pictures.locator('img').count()).toBe(16);
  // Every picture has come, and they are not all the same.
  const sources = await pictures.locator('img').evaluateAll((all) => all.map((i) => (i as HTMLImageElement).src));
  expect(new Set(sources).size).toBeGreaterThan(5);
  await pictures.getByRole('button', { name: 'Look at 0:05' }).first().click();
  await expect(pictures.getByRole('img', { name: 'Title 2 at 0:05' })).toBeVisible();
  await pictures.getByLabel('Moment of the title').focus();
  for (let i = 0; i < 10; i++) await page.keyboard.press('ArrowRight');
  await pictures.getByLabel('Subtitles of the preview').selectOption({ index: 1 });
  await pictures.getByRole('button', { name: 'Play' }).click();
  const preview = page.getByTestId('preview');
  await expect.poll(() => preview.evaluate((v: HTMLVideoElement) => v.currentTime)).toBeGreaterThan(0.3);
  await pictures.getByRole('button', { name: 'Stop' }).click();
  await pictures.getByRole('button', { name: 'Contact sheet' }).click();
  await dossier.getByRole('button', { name: 'Measure sound and picture' }).click();
  await expect(dossier.getByRole('button', { name: 'Measure again' })).toBeVisible();
  await expect(dossier).toContainText('% of');
  await expect(dossier.getByRole('img', { name: /^Sound along the title: mean -/ }).first()).toBeVisible();
  await dossier.getByRole('button', { name: 'Read all of it' }).click();
  await expect(dossier).toContainText('Forced:');
  await page.reload();
  await expect(page.getByRole('region', { name: 'Title 2' })).toContainText('Forced:');
  expect(complaints).toEqual([]);
});

test('an earlier master is a source once more, and its copy is proven', async ({ page, app, open, complaints }) => {
  await open('/');
  await readImage(page, 'nets.mkv', 'Nets at Dawn');
  await openBench(page, 'Nets at Dawn');
  const dossier = page.getByRole('region', { name: 'Title 1' });
  await expect(dossier).toContainText('H.264 High, 320×180, 16:9, 25');
  await expect(dossier).toContainText('FLAC');
  await expect.poll(() => dossier.locator('img').count()).toBeGreaterThan(15);
  await queueAs(page, 'Nets again');
  await page.getByRole('link', { name: /^Queue/ }).click();
  const job = page.getByRole('listitem', { name: 'Job Nets again' });
  await expect(job.getByText('in the vault', { exact: true })).toBeVisible();
  await job.getByText('Log').click();
  await expect(job).toContainText('2 of 2 tracks bit-identical to what was read');
  expect(app.results()).toContain('Nets again.mkv');
  expect(complaints).toEqual([]);
});

test('an image on this computer is read in the browser, and its master is made there and proven, nothing uploaded', async ({
  page,
  open,
  complaints,
}) => {
  const sent: number[] = [];
  page.on('request', (request) => sent.push(request.postDataBuffer()?.byteLength ?? 0));
  await open('/');
  await page.getByLabel('Image files on this computer').setInputFiles('.cache/fixtures/proving/discs/QUAY.iso');
  const zone = page.getByRole('region', { name: 'Images on this computer' });
  await zone.getByRole('link', { name: 'to the Bench' }).click();
  await expect(page.getByRole('heading', { level: 1, name: 'Quay' })).toBeVisible();
  const download = page.waitForEvent('download');
  await page.getByRole('button', { name: 'Make the master here' }).click();
  const file = await download;
  expect(file.suggestedFilename()).toBe('Quay.mkv');
  await expect(page.getByText('6 of 6 tracks bit-identical to what was read')).toBeVisible();
  const made = path.join(mkdtempSync(path.join(tmpdir(), 'careful-vault-dropped-')), 'quay.mkv');
  await file.saveAs(made);
  const { stdout, stderr } = spawnSync('ffprobe', [
    '-v',
    'warning',
    '-count_packets',
    '-show_entries',
    'stream=codec_name,nb_read_packets',
    '-of',
    'csv=p=0',
    made,
  ]);
  expect([stdout.toString().split('\n')[0], stderr.toString()]).toEqual(['mpeg2video,225,', '']);
  rmSync(path.dirname(made), { recursive: true, force: true });
  await page.goBack();
  await page
    .getByLabel('Image files on this computer')
    .setInputFiles({ name: 'notes.iso', mimeType: '', buffer: Buffer.alloc(300_000, 3) });
  await expect(zone).toContainText('failed');
  expect(Math.max(0, ...sent)).toBeLessThan(1_000_000);
  expect(complaints).toEqual([]);
});

test('a dropped image of a series gives a master for each episode, one after another; one that is not wanted is stopped', async ({
  page,
  open,
}) => {
  await open('/');
  await page.getByLabel('Image files on this computer').setInputFiles('.cache/fixtures/proving/discs/LOCKS.iso');
  await page.getByRole('region', { name: 'Images on this computer' }).getByRole('link', { name: 'to the Bench' }).click();
  await expect(cards(page)).toHaveCount(3);
  const names: string[] = [];
  page.on('download', (download) => names.push(download.suggestedFilename()));
  await page.getByRole('button', { name: 'Make the 3 masters here' }).click();
  // The last one waits for those before it: it is stopped before it has begun.
  await page.getByRole('button', { name: 'stop' }).last().click();
  await expect(page.getByText('Stopped on request.')).toBeVisible();
  await expect.poll(() => names.length).toBe(2);
  await expect(page.getByText('4 of 4 tracks bit-identical to what was read')).toHaveCount(2);
  expect([...names].sort()).toEqual(['Locks - part 1.mkv', 'Locks - part 2.mkv']);
  // What was not made can be made now; what was is made again only on request.
  await expect(page.getByRole('button', { name: 'Make the 3 masters here' })).toBeEnabled();
});

test('many discs go to the queue at once; the keys are listed wherever one is', async ({ page, app, open, complaints }) => {
  // By names of its own: other tests use those of the discs.
  await open('/rules');
  await page.getByRole('button', { name: 'Add a part to the file name' }).click();
  await page.getByRole('menuitem', { name: 'a text' }).click();
  await page.getByRole('textbox', { name: 'Text', exact: true }).fill(' batch');
  // One place to the front, by key.
  await page.getByRole('button', { name: 'Part the text “ batch”' }).focus();
  const said = page.locator('[id^=DndLiveRegion]').first();
  for (const key of ['Space', 'ArrowLeft', 'Space']) {
    const before = await said.textContent();
    await page.keyboard.press(key);
    // What is lifted is told to those who do not see it, and glides to its place.
    await expect(said).not.toHaveText(before ?? '');
    await settled(page);
  }
  await expect(page.getByText('gives “Tide Tables 01x02 Slack Water batch (1987)”')).toBeVisible();
  await keepRules(page);
  await open('/');
  await page.getByRole('button', { name: 'Read all that are new' }).click();
  for (const name of ['Haven & Harbour', 'Locks']) await page.getByLabel(`Choose ${name}`, { exact: true }).check();
  const bar = page.getByRole('region', { name: 'What to do with the chosen discs' });
  await bar.getByRole('button', { name: 'Queue what is planned' }).click();
  await expect(bar.getByRole('status')).toContainText(/reels? on the queue/);
  await page.keyboard.press('?');
  const keys = page.getByRole('dialog', { name: 'Keys' });
  await expect(keys).toContainText('search the collection');
  expect(await seriousFaults(page)).toEqual([]);
  await page.keyboard.press('Escape');
  await expect(keys).toHaveCount(0);
  await page.getByRole('link', { name: /^Queue/ }).click();
  for (const name of ['Haven & Harbour', 'Locks - part 3'])
    await expect(page.getByRole('listitem', { name: `Job ${name}` }).getByText('in the vault', { exact: true })).toBeVisible();
  expect(app.results()).toEqual(
    expect.arrayContaining(['Haven & Harbour batch.mkv', 'Haven & Harbour batch.mkv.json', 'Locks - part 3 batch.mkv']),
  );
  expect(complaints).toEqual([]);
});
