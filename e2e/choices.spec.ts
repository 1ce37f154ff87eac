import { execFileSync } from 'node:child_process';
import { existsSync, readFileSync } from 'node:fs';
import { cards, chooseLanguage, editorOf, expect, keepRules, openBench, readImage, seriousFaults, test } from './app';

test.use({ house: 'choices' });

test('sound from a file is added with an offset, subtitles stand beside the result, all of it proven', async ({
  page,
  app,
  open,
  complaints,
}) => {
  await app.read('Shelf 2/HAVEN');
  await open('/');
  await openBench(page, 'Haven & Harbour');
  await expect(cards(page)).toHaveCount(1);
  const editor = editorOf(page);
  await editor.getByRole('tab', { name: /^Tracks/ }).click();
  await editor.getByRole('button', { name: 'Add a sound file' }).click();
  const browser = page.getByRole('dialog', { name: 'Choose a file with sound' });
  await expect(browser.getByText('QUAY.iso')).toHaveCount(0);
  await browser.getByRole('button', { name: 'Add nets.mkv' }).click();
  await expect(editor).toContainText('FLAC');
  await editor.getByLabel('Name of the added sound').fill('The netmaker speaks');
  await chooseLanguage(page, 'Language of the added sound', 'Scottish Gaelic');
  await editor.getByLabel('Offset of the added sound').fill('1.25');
  await editor.getByLabel('Offset of the added sound').blur();
  await editor.getByLabel('commentary').check();
  await editor.getByLabel('Also as files beside the result').check();
  await expect(editor).toContainText('.en.mks');
  expect(await seriousFaults(page)).toEqual([]);
  await editor.getByRole('button', { name: 'Done' }).click();
  await page.getByLabel('Name of the reel').fill('Told at the harbour');
  await page.getByRole('button', { name: /^Queue 1 reel/ }).click();
  await page.getByRole('link', { name: /^Queue/ }).click();
  const job = page.getByRole('listitem', { name: 'Job Told at the harbour' });
  await expect(job.getByText('in the vault', { exact: true })).toBeVisible();
  const sidecar = JSON.parse(readFileSync(`${app.library}/Told at the harbour.mkv.json`, 'utf8')) as {
    beside: { name: string }[];
    proof: { passed: boolean };
    promise: { tracks: { codecId: string; packets: number; language: string | null }[] };
  };
  expect(sidecar.proof.passed).toBe(true);
  expect(sidecar.promise.tracks.find((t) => t.codecId === 'A_FLAC')).toMatchObject({ language: 'gd' });
  await page.getByRole('link', { name: /^Vault/ }).click();
  await page.getByRole('button', { name: /Told at the harbour.*Lossless master/ }).click();
  const detail = page.getByRole('region', { name: 'Told at the harbour.mkv' });
  for (const { name } of sidecar.beside) await expect(detail.getByText(name)).toBeVisible();
  expect(sidecar.beside.length).toBeGreaterThan(1);
  expect(complaints).toEqual([]);
});

test('choices go to the reels that are chosen, and to the other discs of the set', async ({ page, open, complaints }) => {
  await open('/');
  await readImage(page, 'LOCKS.iso', 'Locks');
  await openBench(page, 'Locks');
  await expect(cards(page)).toHaveCount(3);
  await page.getByRole('button', { name: 'About this disc' }).click();
  const facts = page.getByRole('dialog', { name: 'About this disc' });
  await facts.getByLabel('Series').fill('Inland Water');
  await facts
    .getByLabel('Cover from a picture file')
    .setInputFiles({ name: 'x.png', mimeType: 'image/png', buffer: Buffer.from('no picture') });
  await expect(facts).toContainText('x.png is no picture that this browser knows');
  const png = 'iVBORw0KGgoAAAANSUhEUgAAAAIAAAACCAIAAAD91JpzAAAAEElEQVR4nGP4z8AARAwQCgAf7gP9i18U1AAAAABJRU5ErkJggg==';
  await facts
    .getByLabel('Cover from a picture file')
    .setInputFiles({ name: 'y.png', mimeType: 'image/png', buffer: Buffer.from(png, 'base64') });
  await expect(facts.getByAltText('Cover')).toBeVisible();
  await facts.getByRole('button', { name: 'Keep', exact: true }).click();
  // One track less on the first reel, and the same for one of the others only.
  await cards(page)
    .first()
    .getByText(/^title/)
    .click();
  const editor = editorOf(page);
  await editor.getByRole('tab', { name: /^Tracks/ }).click();
  const before = await editor.getByRole('region', { name: 'Audio tracks of the reel' }).getByRole('listitem').count();
  await editor.getByRole('button', { name: 'Leave audio track 2' }).click();
  await editor.getByRole('button', { name: 'Done' }).click();
  await cards(page)
    .nth(2)
    .getByRole('checkbox', { name: /^Choose the reel/ })
    .check();
  await cards(page)
    .first()
    .getByRole('button', { name: /^What to do with the reel/ })
    .click();
  await page.getByRole('menuitem', { name: 'Same tracks and recipes for the 1 chosen' }).click();
  await expect(cards(page).first()).toContainText(`${before - 1} audio`);
  await expect(cards(page).nth(1)).toContainText(`${before} audio`);
  await expect(cards(page).nth(2)).toContainText(`${before - 1} audio`);
  await cards(page)
    .first()
    .getByRole('button', { name: /^What to do with the reel/ })
    .click();
  await page.getByRole('menuitem', { name: 'Keep for the next disc of “Inland Water”' }).click();
  await expect(page.getByText(/^Kept: on other discs of “Inland Water”/)).toBeVisible();
  // The rules now propose it for every disc of the set.
  await page.getByRole('button', { name: 'By the house rules' }).click();
  await expect(cards(page).nth(1)).toContainText(`${before - 1} audio`);
  await open('/rules');
  await page.getByRole('button', { name: 'No longer keep choices for Inland Water, episodes' }).click();
  await keepRules(page);
  await open('/');
  await page.getByLabel('Headings').selectOption('series');
  const heading = page.getByRole('button', { name: /^Inland Water/ });
  await expect(heading).toBeVisible();
  await expect(page.getByRole('row', { name: /^Locks/ }).locator('img')).toBeVisible();
  await heading.click();
  await expect(page.getByRole('row', { name: /^Locks/ })).toHaveCount(0);
  await page.reload();
  await expect(heading).toBeVisible();
  expect(await seriousFaults(page)).toEqual([]);
  expect(complaints).toEqual([]);
});

test('coverage says what is left and why, and leads to it', async ({ page, open }) => {
  await open('/');
  await readImage(page, 'QUAY.iso', 'Quay');
  await openBench(page, 'Quay');
  await page.getByRole('button', { name: /^Coverage/ }).click();
  const dialog = page.getByRole('dialog', { name: 'What has become of this disc' });
  const left = dialog.getByRole('region', { name: 'Left' });
  await expect(left.getByRole('listitem').first()).toContainText('left by the rules');
  expect(await seriousFaults(page)).toEqual([]);
  const name = await left.getByRole('button').first().innerText();
  await left.getByRole('button').first().click();
  await expect(dialog).toHaveCount(0);
  await expect(page.getByRole('region', { name, exact: true })).toBeVisible();
});

test('two tracks of a title are laid beside each other', async ({ page, open, complaints }) => {
  await open('/');
  await readImage(page, 'QUAY.iso', 'Quay');
  await openBench(page, 'Quay');
  await page.keyboard.press('c');
  const dialog = page.getByRole('dialog', { name: 'Title 2 compared' });
  await dialog.getByRole('radio', { name: 'two audio tracks' }).click();
  await dialog.getByRole('button', { name: 'Compare them' }).click();
  await expect(dialog.getByText(/^(They sound|They have no sound in common|The two tracks are the same)/)).toBeVisible();
  await expect(dialog.getByRole('img', { name: 'Level of the first track' })).toBeVisible();
  await dialog.getByLabel('Second track', { exact: true }).selectOption({ index: 0 });
  await expect(dialog.getByRole('button', { name: 'Compare them' })).toBeDisabled();
  await dialog.getByRole('radio', { name: 'two subtitle tracks' }).click();
  await dialog.getByRole('button', { name: 'Compare them' }).click();
  await expect(dialog.getByText(/subtitles? in the first/)).toBeVisible();
  expect(await seriousFaults(page)).toEqual([]);
  expect(complaints).toEqual([]);
});

test('by rule, what is taken of a disc is measured once it is read', async ({ page, open }) => {
  await open('/rules');
  await page.getByLabel('sound and picture of what is taken, once the disc is read').check();
  await keepRules(page);
  await open('/');
  await readImage(page, 'QUAY.iso', 'Quay');
  await openBench(page, 'Quay');
  const dossier = page.getByRole('region', { name: 'Title 2' });
  await expect(dossier.getByRole('button', { name: 'Measure again' })).toBeVisible();
  await expect(dossier).toContainText('% of');
});

test('a reel is divided in groups of chapters and at times; all angles become a reel each', async ({ page, app, open }) => {
  await app.read('QUAY.iso', 'Shelf 2/HAVEN', 'Shelf 2/TWIN.iso');
  await open('/');
  await openBench(page, 'Quay');
  await expect(cards(page)).toHaveCount(1);
  const divide = async () => {
    await cards(page)
      .first()
      .getByRole('button', { name: /^What to do with the reel/ })
      .click();
    await page.getByRole('menuitem', { name: 'Divide: at chapters or times…' }).click();
    return page.getByRole('dialog', { name: /^Divide / });
  };
  let dialog = await divide();
  await dialog.getByLabel('Chapters in a group').fill('2');
  await expect(dialog.getByRole('checkbox', { name: /chapter 3/ })).toBeChecked();
  expect(await seriousFaults(page)).toEqual([]);
  await dialog.getByRole('button', { name: 'Make 2 reels of it' }).click();
  await expect(cards(page)).toHaveCount(2);
  await expect(cards(page).first()).toContainText('chapters 1 to 2');
  await page.keyboard.press('Control+z');
  await expect(cards(page)).toHaveCount(1);
  dialog = await divide();
  await dialog.getByLabel('Times to divide at').fill('0:02\n0:99:99');
  await expect(dialog.getByText(/0:99:99 is no time between/)).toBeVisible();
  await expect(dialog.getByRole('button', { name: /^Make 2 reels/ })).toBeDisabled();
  await dialog.getByLabel('Times to divide at').fill('0:02\n5.5');
  await dialog.getByRole('button', { name: 'Make 3 reels of it' }).click();
  await expect(cards(page)).toHaveCount(3);
  await expect(cards(page).nth(1)).toContainText('0:02 to 0:06');
  await open('/');
  await openBench(page, 'Twin');
  await page.getByRole('option', { name: /^Title 2,/ }).click();
  await page.keyboard.press('t');
  await expect(page.getByLabel('Angle of the title')).toBeVisible();
  const before = await cards(page).count();
  await cards(page)
    .last()
    .getByRole('button', { name: /^What to do with the reel/ })
    .click();
  await page.getByRole('menuitem', { name: 'All angles: a reel for each' }).click();
  await expect(cards(page)).toHaveCount(before + 2);
  await expect(page.getByLabel('Name of the reel').last()).toHaveValue(/ - angle 3$/);
});

test('from the disc in the tray to a queued main title by its right name: three actions', async ({ page, app, open }) => {
  await open('/');
  // One: the disc goes in; it is read by itself.
  await page.getByLabel('Insert a disc into Tray 1').selectOption({ label: 'The quay, slowly' });
  // Two: to its Bench.
  await page.getByRole('link', { name: 'Quay', exact: true }).click();
  await expect(cards(page)).toHaveCount(1);
  await expect(page.getByLabel('Name of the reel')).toHaveValue('Quay');
  await expect(cards(page)).toContainText('title 2, all 3 chapters');
  // The disc may be on the shelf already, from another copy: the tray's is what is wanted here.
  await expect(page.getByLabel('Read from')).toHaveValue(/^drive /);
  // Three: queue it.
  app.hold();
  await page.keyboard.press('q');
  await page.getByText('Everything planned is on the queue.').waitFor();
  await open('/queue');
  const job = page.getByRole('listitem', { name: 'Job Quay' }).last();
  await expect(job).toBeVisible();
  await job.getByRole('button', { name: 'Cancel' }).click();
  // Ended jobs are listed apart: it may be no longer the last of its name.
  await expect(page.getByRole('listitem', { name: 'Job Quay' }).filter({ hasText: 'cancelled' }).first()).toBeVisible();
  app.letGo();
  expect(app.results().filter((n) => n === 'Quay.mkv')).toEqual([]);
});

test('chapters are numbered, moved, added, taken out, and read from a file; the disc’s own come back', async ({ page, open }) => {
  await open('/');
  await readImage(page, 'QUAY.iso', 'Quay');
  await openBench(page, 'Quay');
  await expect(cards(page)).toHaveCount(1);
  const editor = editorOf(page);
  await editor.getByRole('tab', { name: 'Chapters' }).click();
  const lists = async (entry: string) => {
    await editor.getByRole('button', { name: 'Lists of chapters' }).click();
    await page.getByRole('menuitem', { name: entry }).click();
  };
  const name = (n: number) => editor.getByLabel(`Name of chapter ${n} of the reel`);
  const time = (n: number) => editor.getByLabel(`Time of chapter ${n}`);
  await expect(name(3)).toBeVisible();
  await editor.getByRole('button', { name: 'Add a chapter after 1' }).click();
  await expect(name(4)).toBeVisible();
  await expect(name(2)).toHaveValue('New chapter');
  await lists('Number them');
  await editor.getByLabel('Pattern for names').fill('Part ##');
  await editor.getByRole('button', { name: 'Name them so' }).click();
  await expect(name(4)).toHaveValue('Part 04');
  await time(2).fill('0:00:01.250');
  await time(2).blur();
  await expect(time(2)).toHaveValue('00:00:01.250');
  await time(2).fill('9:99:99');
  await time(2).blur();
  await editor.getByRole('button', { name: 'Remove chapter 3' }).click();
  await expect(name(4)).toHaveCount(0);
  const vtt = 'WEBVTT\n\n00:00:00.000 --> 00:00:03.000\nLow water\n\n00:00:03.000 --> 00:00:09.000\nHigh water\n';
  await editor.getByLabel('Open a chapter file').setInputFiles({ name: 'c.vtt', mimeType: 'text/vtt', buffer: Buffer.from(vtt) });
  await expect(name(2)).toHaveValue('High water');
  await expect(name(3)).toHaveCount(0);
  const download = page.waitForEvent('download');
  await lists('Save as lines');
  expect(readFileSync(await (await download).path(), 'utf8')).toBe('00:00:00.000 Low water\n00:00:03.000 High water\n');
  expect(await seriousFaults(page)).toEqual([]);
  await editor.getByRole('button', { name: 'Back to the disc’s own chapters' }).click();
  await expect(name(3)).toBeVisible();
});

test('titles with other tracks are merged with what is missing said; other codecs are refused with the reason', async ({
  page,
  app,
  open,
}) => {
  await app.read('QUAY.iso', 'Shelf 2/HAVEN', 'Shelf 2/TWIN.iso');
  await open('/');
  await openBench(page, 'Quay');
  await expect(cards(page)).toHaveCount(1);
  const menu = (n: number) =>
    cards(page)
      .nth(n)
      .getByRole('button', { name: /^What to do with the reel/ });
  // Title 1 has one track of sound and no subtitles: it goes behind the film, and the gaps are said.
  await page.getByRole('option', { name: /^Title 1,/ }).click();
  await page.keyboard.press('t');
  await expect(cards(page)).toHaveCount(2);
  await menu(1).click();
  await page.getByRole('menuitem', { name: 'Merge into the reel before' }).click();
  await expect(cards(page)).toHaveCount(1);
  await menu(0).click();
  await page.getByRole('menuitem', { name: 'Pieces and ranges…' }).click();
  const editor = editorOf(page);
  await expect(editor.getByText(/Subtitle track 1 is missing from .*title 1 has none that goes on/)).toBeVisible();
  await editor.getByRole('button', { name: 'Take piece 2 out' }).click();
  await expect(editor.getByText(/is missing from/)).toHaveCount(0);
  await editor.getByRole('button', { name: 'Done' }).click();
  await open('/');
  await openBench(page, 'Haven & Harbour');
  await expect(cards(page)).toHaveCount(1);
  for (const [count, title] of [
    [2, 3],
    [3, 4],
  ] as const) {
    await page.getByRole('option', { name: new RegExp(`^Title ${title},`) }).click();
    await page.keyboard.press('t');
    await expect(cards(page)).toHaveCount(count);
    await menu(count - 1).click();
    await expect(page.getByText(/can not be joined without re-encoding\. Make a reel of each\./)).toBeVisible();
    await expect(page.getByRole('menuitem', { name: 'Merge into the reel before' })).toHaveAttribute('aria-disabled', 'true');
    await page.keyboard.press('Escape');
  }
});

test('what nothing leads to is one click away, and shown on the map', async ({ page, app, open }) => {
  await app.read('Shelf 2/HAVEN');
  await open('/');
  await openBench(page, 'Haven & Harbour');
  await page.getByRole('radio', { name: 'table' }).click();
  await page.getByRole('button', { name: /^Coverage: .*nothing leads to it/ }).click();
  const dialog = page.getByRole('dialog', { name: 'What has become of this disc' });
  await dialog.getByRole('region', { name: 'Nothing leads to' }).getByRole('button', { name: 'Show it' }).click();
  await expect(dialog).toHaveCount(0);
  await expect(page.getByRole('note', { name: /^Nothing leads to 1 stretch/ })).toBeInViewport();
  // The map has come closer.
  await expect(page.getByRole('button', { name: 'whole' })).toBeVisible();
});

test('subtitle pictures are read into text, looked through, and become a track of text in a container that takes no pictures', async ({
  page,
  open,
  app,
}) => {
  await open('/');
  await readImage(page, 'QUAY.iso', 'Quay');
  await openBench(page, 'Quay');
  await cards(page)
    .first()
    .getByText(/^title/)
    .click();
  const editor = editorOf(page);
  await editor.getByRole('tab', { name: /^Tracks/ }).click();
  await editor.getByText('Pictures read into text:').getByRole('button', { name: 'Scottish Gaelic' }).click();
  // Its data is not on this machine: what to type is said.
  await expect(page.getByRole('dialog')).toContainText('apt-get install tesseract-ocr-gla');
  await page.keyboard.press('Escape');
  await editor.getByText('Pictures read into text:').getByRole('button', { name: 'English' }).click();
  const dialog = page.getByRole('dialog', { name: /read into text/ });
  const rows = dialog.getByRole('listitem');
  await expect(rows).toHaveCount(4);
  await expect(rows.first().getByRole('img')).toBeVisible();
  await expect(rows.nth(2).getByRole('textbox')).toHaveValue('Line 3');
  expect(await seriousFaults(page)).toEqual([]);
  const take = dialog.getByRole('button', { name: /^Take \d subtitles as text$/ });
  await expect(take).toBeVisible();
  // Whatever was unsure is looked at first.
  const unsure = dialog.getByRole('checkbox', { name: /right\?$/ });
  if ((await unsure.count()) > 0) await expect(take).toBeDisabled();
  while ((await unsure.count()) > 0) await unsure.first().check();
  await rows.nth(1).getByRole('textbox').fill('The second line, mended');
  await rows.nth(3).getByRole('textbox').fill('');
  await dialog.getByRole('button', { name: 'Take 3 subtitles as text' }).click();
  await expect(dialog).toHaveCount(0);
  await expect(editor).toContainText('SubRip, 3 lines');
  await page.getByLabel('Name of the reel').fill('Read aloud');
  const card = cards(page).first();
  await card.getByRole('checkbox', { name: 'Access copy' }).check();
  await page.getByRole('button', { name: /^Queue 1 reel/ }).click();
  await expect.poll(() => existsSync(`${app.library}/Read aloud.mp4`)).toBe(true);
  const said = execFileSync('ffmpeg', ['-v', 'error', '-i', `${app.library}/Read aloud.mp4`, '-map', '0:s:0', '-f', 'srt', '-'], {
    encoding: 'utf8',
  });
  expect(said).toMatch(/Line 1[\s\S]*The second line, mended[\s\S]*Line 3/);
  expect(said).not.toContain('Line 4');
});
