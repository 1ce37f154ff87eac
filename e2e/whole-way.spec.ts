import { readFileSync, readdirSync } from 'node:fs';
import path from 'node:path';
import { expect, openBench, queueAs, readImage, seriousFaults, test } from './app';

test.use({ house: 'whole-way' });

test('from a disc to a proven file and its access copy, through every place', async ({ page, app, open, complaints }) => {
  await open('/');
  await expect(page.getByText('No disc has been read yet')).toBeVisible();
  await readImage(page, 'QUAY.iso', 'Quay');
  await expect(page.getByText('One film of 0:09 and 1 logo or loop.', { exact: true })).toBeVisible();

  await openBench(page, 'Quay');
  const dossier = page.getByRole('region', { name: 'Title 2' });
  await expect(dossier).toContainText('the disc plays it by itself when inserted');
  await expect(dossier).toContainText('MPEG-2, 720×576, 16:9, PAL 25');
  await expect(dossier.getByRole('checkbox', { name: /^Audio: English, 5.1, AC-3 384 kb\/s/ })).toBeChecked();
  await expect(dossier.getByRole('checkbox', { name: /^Audio: Scottish Gaelic, stereo, LPCM 16 bit/ })).toBeChecked();
  await expect(dossier).toContainText('commentary');

  // Choose: no commentary, chapters two and three, a name, a folder, both recipes.
  await dossier.getByRole('checkbox', { name: /DTS/ }).uncheck();
  await dossier.getByLabel('First chapter').selectOption('2');
  await dossier.getByLabel('Name of chapter 2').fill('Low water');
  await page.getByLabel('Name of the reel').fill('At the Quay');
  await page.getByLabel('Folder in the library').fill('Films');
  await page.getByLabel('Access copy').check();
  await page.reload(); // nothing of it may be lost
  await expect(page.getByLabel('Name of the reel')).toHaveValue('At the Quay');
  await expect(page.getByRole('checkbox', { name: /DTS/ })).not.toBeChecked();
  await page.getByRole('button', { name: /^Queue 1 reel/ }).click();
  await expect(page.getByText('Everything planned is on the queue.')).toBeVisible();

  await page.getByRole('link', { name: /^Queue/ }).click();
  const job = page.getByRole('listitem', { name: 'Job At the Quay' });
  await expect(job).toContainText('Lossless master and Access copy');
  await page.reload(); // a job does not mind
  await expect(job.getByText('in the vault', { exact: true })).toBeVisible();
  await job.getByText('Log').click();
  await expect(job).toContainText('5 of 5 tracks bit-identical to what was read');

  await page.getByRole('link', { name: /^Vault/ }).click();
  await page.getByRole('button', { name: /At the Quay.*Lossless master/ }).click();
  const file = page.getByRole('region', { name: 'At the Quay.mkv' });
  await expect(file).toContainText('5 of 5 tracks bit-identical to what was read');
  await expect(file).toContainText('Low water');
  await expect(file).toContainText('QUAY, DVD-Video, read from QUAY.iso');
  await file.getByRole('button', { name: 'Prove it again' }).click();
  await expect(file).toContainText(/Proven again just now; its SHA-(256|512) is unchanged\./);

  // Both play in the page: the master on the fly, the copy as it is.
  const player = page.getByTestId('player');
  const plays = async () => {
    await player.evaluate((video: HTMLVideoElement) => {
      video.muted = true;
      return video.play();
    });
    await expect.poll(() => player.evaluate((video: HTMLVideoElement) => video.currentTime)).toBeGreaterThan(0.3);
  };
  await plays();
  await page.getByRole('button', { name: /At the Quay.*Access copy/ }).click();
  await expect(page.getByRole('region', { name: 'At the Quay.mp4' })).toContainText(
    'every frame decodes, whole by all that the disc says of itself',
  );
  await plays();

  // The whole playing time is there from the start, whatever is made on the fly begins where one goes to.
  await page.getByRole('button', { name: /At the Quay.*Lossless master/ }).click();
  await expect(file).toContainText('0:00 / 0:06');
  await file.getByRole('slider', { name: 'Where it plays' }).fill('4000');
  await expect(file).toContainText('0:04 / 0:06');
  await expect(player).toHaveAttribute('src', /start=4&/);
  await plays();
  await expect(file.getByText(/0:0[56] \/ 0:06/)).toBeVisible();

  // Two files in step, under one time line: where one seeks both go, and the second follows the first.
  await file.getByRole('button', { name: 'Side by side…' }).click();
  const dialog = page.getByRole('dialog');
  const [first, second] = [dialog.getByLabel('First file'), dialog.getByLabel('Second file')];
  await expect(dialog).toContainText('At the Quay.mp4');
  await dialog.getByRole('slider', { name: 'Where it plays' }).fill('2000');
  await expect(first).toHaveAttribute('src', /start=2&/);
  const at = (of: typeof first) => of.evaluate((v: HTMLVideoElement) => v.currentTime);
  await expect.poll(() => at(second)).toBeGreaterThanOrEqual(2);
  expect(await seriousFaults(page)).toEqual([]);
  await first.evaluate((v: HTMLVideoElement) => (v.muted = true));
  await dialog.getByRole('button', { name: 'Play', exact: true }).click();
  await expect.poll(async () => (await at(first)) + 2).toBeGreaterThan(2.8);
  await dialog.getByRole('button', { name: 'Pause' }).click();
  expect(Math.abs((await at(first)) + 2 - (await at(second)))).toBeLessThan(1);
  await page.keyboard.press('Escape');

  expect(app.results().filter((n) => n.startsWith('Films/'))).toEqual(
    ['mkv', 'mkv.json', 'mp4', 'mp4.json'].map((e) => `Films/At the Quay.${e}`),
  );
  await page.getByRole('link', { name: /^Shelf/ }).click();
  await expect(page.getByRole('row', { name: /Quay/ })).toContainText('partly in the vault');
  expect(complaints).toEqual([]);
});

test('a series is proposed as its episodes; all go to the queue with one key', async ({ page, app, open }) => {
  await open('/');
  await readImage(page, 'LOCKS.iso', 'Locks');
  await openBench(page, 'Locks');
  await expect(page.getByRole('option', { name: /^Title 1, 0:30, play-all of 2–4/ })).toBeVisible();
  await expect(page.getByRole('option', { name: /^Title 5, 0:10, same as 3/ })).toBeVisible();
  await expect(page.getByRole('article')).toHaveCount(3);
  await page.keyboard.press('q');
  await expect(page.getByText('Everything planned is on the queue.')).toBeVisible();
  await expect(page.getByRole('article').first()).toContainText('in the vault');
  await expect
    .poll(() => app.results().filter((n) => n.endsWith('.mkv') && n.startsWith('Locks')))
    .toEqual([1, 2, 3].map((n) => `Locks - part ${n}.mkv`));
  const sidecar = JSON.parse(readFileSync(path.join(app.library, 'Locks - part 2.mkv.json'), 'utf8')) as {
    proof: { passed: boolean };
    disc: { label: string };
  };
  expect(sidecar).toMatchObject({ proof: { passed: true }, disc: { label: 'LOCKS' } });
  // The same names again: refused, said, and nothing touched.
  await page.evaluate(async () => {
    for (const { name } of await indexedDB.databases()) if (name?.startsWith('careful-vault')) indexedDB.deleteDatabase(name);
  });
  await open('/');
  await page.getByRole('button', { name: /Read( again)? LOCKS.iso|Read LOCKS.iso/ }).click();
  await openBench(page, 'Locks');
  await page.getByRole('button', { name: /^Queue 3 reels/ }).click();
  await expect(page.getByRole('main').getByRole('alert')).toContainText('already');
  await expect(page.getByRole('main').getByRole('alert')).toContainText('Choose another name');
});

test('the simulated tray: insert, read, cancel a reading, cancel a job, eject', async ({ page, app, open }) => {
  await open('/');
  const tray = page.getByRole('region', { name: 'Trays' });
  await tray.getByLabel('Insert a disc into Tray 1').selectOption({ label: 'The quay, asleep' });
  await expect(tray).toContainText('spinning up');
  await tray.getByRole('button', { name: 'Cancel' }).click();
  await expect(tray).toContainText('Reading was cancelled.');
  await tray.getByLabel('Insert a disc into Tray 1').selectOption({ label: 'The quay, slowly' });
  await expect(page.getByRole('link', { name: 'Quay', exact: true })).toBeVisible();
  await openBench(page, 'Quay');
  await expect(page.getByLabel('Read from')).toHaveValue(/^drive /);
  app.hold();
  await queueAs(page, 'Half done');
  await page.getByRole('link', { name: /^Queue/ }).click();
  const job = page.getByRole('listitem', { name: 'Job Half done' });
  await expect(job).toContainText('reading the disc into the master,');
  await expect(job).toContainText('/s');
  await job.getByRole('button', { name: 'Cancel' }).click();
  await expect(job.getByText('cancelled', { exact: true })).toBeVisible();
  app.letGo();
  expect(app.results().filter((n) => n.startsWith('Half done'))).toEqual([]);
  // What the catalogue says of discs may stand there by now.
  expect(readdirSync(path.join(app.library, '.careful-vault')).filter((n) => n !== 'catalogue')).toEqual(['storage.json']);
  await job.getByRole('button', { name: 'Clear' }).click();
  await expect(job).toHaveCount(0);
  await page.goBack();
  await expect(page.getByRole('article')).toContainText('no longer on the queue');
  await page.getByRole('button', { name: 'Plan again' }).click();
  await expect(page.getByRole('button', { name: /^Queue 1 reel/ })).toBeEnabled();
  await open('/');
  await tray.getByRole('button', { name: 'Eject' }).click();
  await expect(tray).toContainText('empty');
});
