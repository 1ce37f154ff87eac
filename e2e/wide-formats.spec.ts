import { cards, expect, openBench, queueAs, test } from './app';

test.use({ house: 'wide-formats' });

test('a shelf of images is read in the background, folders below it too; what is no disc is said and holds nothing up', async ({
  page,
  open,
  complaints,
}) => {
  await open('/');
  await page.getByRole('button', { name: 'Read all that are new' }).click();
  for (const name of ['Quay', 'Locks', 'Haven & Harbour', 'Twin'])
    await expect(page.getByRole('link', { name, exact: true })).toBeVisible();
  await expect(page.getByText('This is not a disc image').first()).toBeVisible();
  await expect(page.getByRole('row', { name: /Haven & Harbour/ })).toContainText('One film of 0:12, 1 duplicate');
  await page.getByRole('button', { name: 'Read all that are new' }).click();
  await expect(page.getByRole('button', { name: 'Read all that are new' })).toBeVisible();
  expect(complaints).toEqual([]);
});

test('a Blu-ray from the shelf to a proven master and a copy that plays', async ({ page, app, open, complaints }) => {
  await open('/');
  await page.getByRole('button', { name: 'Read all that are new' }).click();
  await openBench(page, 'Haven & Harbour');
  await page.getByRole('option', { name: /^Title 2,/ }).click();
  const dossier = page.getByRole('region', { name: 'Title 2' });
  await expect(dossier).toContainText('H.264 Main 1.2, 320×180, 16:9, 23.976');
  await expect(dossier.getByRole('checkbox', { name: /^Audio: English, stereo, TrueHD/ })).toBeChecked();
  await expect(dossier).toContainText('core of the one above');
  await expect(dossier.getByRole('checkbox', { name: /^Audio: English, 5.1, LPCM 24 bit/ })).toBeChecked();
  await page.getByLabel('Access copy').check();
  await queueAs(page, 'Haven whole');
  await page.getByRole('link', { name: /^Queue/ }).click();
  const job = page.getByRole('listitem', { name: 'Job Haven whole' });
  await expect(job.getByText('in the vault', { exact: true })).toBeVisible();
  await page.getByRole('link', { name: /^Vault/ }).click();
  await page.getByRole('button', { name: /Haven whole.*Lossless master/ }).click();
  const file = page.getByRole('region', { name: 'Haven whole.mkv' });
  await expect(file).toContainText('7 of 7 tracks bit-identical to what was read');
  await expect(file).toContainText('HAVEN, Blu-ray');
  const player = page.getByTestId('player');
  const plays = async () => {
    await player.evaluate((video: HTMLVideoElement) => {
      video.muted = true;
      return video.play();
    });
    await expect.poll(() => player.evaluate((video: HTMLVideoElement) => video.currentTime)).toBeGreaterThan(0.3);
  };
  await plays();
  await page.getByRole('button', { name: /Haven whole.*Access copy/ }).click();
  await expect(page.getByRole('region', { name: 'Haven whole.mp4' })).toContainText(
    'every frame decodes, whole by all that the disc says of itself',
  );
  await plays();
  expect(app.results().filter((n) => n.startsWith('Haven'))).toHaveLength(4);
  expect(complaints).toEqual([]);
});

test('an angle is chosen; decoys, views and angles are said', async ({ page, open }) => {
  await open('/');
  await page.getByRole('button', { name: 'Read all that are new' }).click();
  await openBench(page, 'Twin');
  await expect(page.getByRole('region', { name: 'Title 1' })).toContainText('two views');
  await page.getByRole('option', { name: /^Title 2,/ }).click();
  await page.keyboard.press('t');
  await page.getByLabel('Angle of the title').selectOption('3');
  await page.reload();
  await page.getByRole('option', { name: /^Title 2,/ }).click();
  await expect(page.getByLabel('Angle of the title')).toHaveValue('3');
});

test('every sector is checked on request: what is scratched is shown by time, the rest can be taken', async ({ page, open }) => {
  await open('/');
  const tray = page.getByRole('region', { name: 'Trays' });
  await tray.getByLabel('Insert a disc into Tray 1').selectOption({ label: 'The quay, scratched' });
  await openBench(page, 'Quay');
  await expect(page.getByLabel('Read from')).toHaveValue(/^drive /);
  await page.getByRole('button', { name: 'Check every sector for damage' }).click();
  const dossier = page.getByRole('region', { name: 'Title 2' });
  await expect(dossier).toContainText('can not be read');
  await expect(dossier).toContainText('the others can be taken');
});

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
    await expect(page.getByRole('listitem', { name: `Job ${name}` }).getByText('in the vault', { exact: true })).toBeVisible();
  await page.getByRole('link', { name: /^Vault/ }).click();
  await page.getByRole('button', { name: /Beside whole.*Lossless master/ }).click();
  await expect(page.getByRole('region', { name: 'Beside whole.mkv' })).toContainText('4 of 4 tracks bit-identical to what was read');
  await page.getByRole('button', { name: /Beside second.*Lossless master/ }).click();
  await expect(page.getByRole('region', { name: 'Beside second.mkv' })).toContainText('2 of 2 tracks bit-identical to what was read');
  expect(complaints).toEqual([]);
});
