import { readFileSync } from 'node:fs';
import { cards, chooseLanguage, editorOf, expect, keepRules, openBench, readImage, seriousFaults, test } from './app';

test.use({ house: 'composing' });

test('reels are merged by dragging and by key, divided, and every step is undone even after a reload', async ({
  page,
  open,
  complaints,
}) => {
  await open('/');
  await readImage(page, 'LOCKS.iso', 'Locks');
  await openBench(page, 'Locks');
  await expect(cards(page)).toHaveCount(3);
  // Drag the second card onto the first.
  const handle = page.getByLabel('Drag the reel Locks - part 2 onto another to merge them');
  const target = cards(page).first();
  const [from, to] = [await handle.boundingBox(), await target.boundingBox()];
  if (!from || !to) throw new Error('not on the screen');
  await page.mouse.move(from.x + 4, from.y + 4);
  await page.mouse.down();
  await page.mouse.move(to.x + 120, to.y + 60, { steps: 12 });
  await page.mouse.up();
  await expect(cards(page)).toHaveCount(2);
  await expect(cards(page).first()).toContainText('title 3');
  // Merge the third into it by key.
  await cards(page)
    .nth(1)
    .getByText(/^title/)
    .click();
  await page.keyboard.press('m');
  await expect(cards(page)).toHaveCount(1);
  await page.reload();
  await expect(cards(page)).toHaveCount(1);
  await page.getByRole('button', { name: 'Undo' }).click();
  await expect(cards(page)).toHaveCount(2);
  await page.keyboard.press('Control+z');
  await expect(cards(page)).toHaveCount(3);
  await page.keyboard.press('Control+Shift+z');
  await expect(cards(page)).toHaveCount(2);
  await page.keyboard.press('Control+z');
  await page.getByLabel('What to do with the reel Locks - part 1').click();
  await page.getByRole('menuitem', { name: 'Divide: a reel for each chapter' }).click();
  await expect(cards(page)).toHaveCount(4);
  await expect(cards(page).nth(1)).toContainText('chapters 2 to 2');
  expect(complaints).toEqual([]);
});

test('one reel with all that can be changed about it, made and proven', async ({ page, app, open, complaints }) => {
  await open('/');
  await readImage(page, 'QUAY.iso', 'Quay');
  await openBench(page, 'Quay');
  await expect(cards(page)).toHaveCount(1);
  const editor = editorOf(page);
  await editor.getByRole('tab', { name: /^Pieces/ }).click();
  await editor.getByLabel('What is taken of title 2').selectOption('time');
  await editor.getByLabel('From time').fill('0:02');
  await editor.getByLabel('From time').blur();
  await editor.getByLabel('To frame').fill('150');
  await editor.getByLabel('To frame').blur();
  await editor.getByRole('tab', { name: 'Chapters' }).click();
  await editor.getByRole('button', { name: 'Lists of chapters' }).click();
  await page.getByRole('menuitem', { name: 'Paste a list' }).click();
  await editor.getByLabel('Chapter list').fill('0:00 Ropes\n0:01.5 The crane');
  await editor.getByRole('button', { name: 'Take the list' }).click();
  await expect(editor.getByLabel('Name of chapter 2 of the reel')).toHaveValue('The crane');
  const download = page.waitForEvent('download');
  await editor.getByRole('button', { name: 'Lists of chapters' }).click();
  await page.getByRole('menuitem', { name: 'Save as WebVTT' }).click();
  const file = await download;
  expect(file.suggestedFilename()).toBe('Quay.vtt');
  expect(readFileSync(await file.path(), 'utf8')).toContain('00:00:01.500 --> ');
  await editor.getByRole('tab', { name: /^Tracks/ }).click();
  await editor.getByLabel('Add a subtitle file').setInputFiles({
    name: 'museum.srt',
    mimeType: 'text/plain',
    buffer: Buffer.from('1\n00:00:01,000 --> 00:00:02,000\nMind the step\n'),
  });
  await chooseLanguage(page, 'Language of the added subtitles', 'English');
  await editor
    .getByRole('button', { name: /^English/ })
    .first()
    .click();
  await editor
    .getByLabel('Add a subtitle file')
    .setInputFiles({ name: 'diary.srt', mimeType: 'text/plain', buffer: Buffer.from('Dear diary') });
  await expect(editor.getByRole('alert')).toContainText('neither SubRip, WebVTT nor ASS');
  await editor.getByRole('tab', { name: 'Names' }).click();
  await editor.getByLabel('Name of the work').fill('Ropes at the Quay');
  await editor.getByLabel('Year').fill('1987');
  await editor.getByLabel('Accession number').fill('HM 12');
  await expect(editor).toContainText('Ropes at the Quay (1987)');
  expect(await seriousFaults(page)).toEqual([]);
  await editor.getByRole('button', { name: 'Done' }).click();
  await page.getByRole('button', { name: /^Queue 1 reel/ }).click();
  await page.getByRole('link', { name: /^Queue/ }).click();
  const job = page.getByRole('listitem', { name: 'Job Ropes at the Quay' });
  await expect(job.getByText('in the vault', { exact: true })).toBeVisible();
  expect(app.results()).toContain('Ropes at the Quay (1987).mkv');
  const sidecar = JSON.parse(readFileSync(`${app.library}/Ropes at the Quay (1987).mkv.json`, 'utf8')) as {
    promise: { durationMs: number; chapters: { name: string }[]; tracks: { codecId: string; packets: number }[] };
    proof: { passed: boolean };
  };
  expect(sidecar.proof.passed).toBe(true);
  expect(sidecar.promise.durationMs).toBeGreaterThan(3900);
  expect(sidecar.promise.durationMs).toBeLessThan(7000);
  expect(sidecar.promise.chapters.map((c) => c.name)).toEqual(['Ropes', 'The crane']);
  expect(sidecar.promise.tracks.at(-1)).toMatchObject({ codecId: 'S_TEXT/UTF8', packets: 1 });
  expect(complaints).toEqual([]);
});

test('a reel is edited by looking: ranges and chapters at the moment looked at, marks by key, many reels as a list', async ({
  page,
  open,
  complaints,
}) => {
  await open('/');
  await readImage(page, 'QUAY.iso', 'Quay');
  await openBench(page, 'Quay');
  await expect(cards(page)).toHaveCount(1);
  const editor = editorOf(page);
  const map = page.getByRole('region', { name: 'Disc map' });
  const small = (await map.boundingBox())?.height ?? 0;
  await page.keyboard.press('e');
  await expect(editor).toHaveCount(0);
  expect((await map.boundingBox())?.height).toBeGreaterThan(small + 100);
  await page.reload(); // that is remembered
  await expect(cards(page)).toHaveCount(1);
  await expect(editor).toHaveCount(0);
  await page.keyboard.press('e');

  // A chapter begins where somebody looks, and its mark is moved by key.
  await editor.getByRole('tab', { name: 'Chapters' }).click();
  await expect(editor.getByRole('button', { name: 'Take this moment' })).toBeDisabled();
  await page.getByLabel('Moment of the title').fill('2400');
  await editor.getByRole('button', { name: 'Take this moment' }).click();
  const time = (n: number) => editor.getByLabel(`Time of chapter ${n}`);
  await expect(time(2)).toHaveValue('00:00:02.400');
  await expect(page.getByRole('img', { name: 'Title 2 at 0:02' })).toBeVisible();
  await editor.getByRole('slider', { name: 'Mark of chapter 2' }).press('ArrowRight');
  await expect(time(2)).toHaveValue('00:00:02.440');
  await editor.getByRole('button', { name: 'Look at chapter 3 of the reel' }).click();
  await editor.getByRole('button', { name: 'Begin 3 here' }).click();
  await expect(time(3)).not.toHaveValue('00:00:03.000');

  // A range from one look to another.
  await editor.getByRole('tab', { name: /^Pieces/ }).click();
  await page.getByLabel('Moment of the title').fill('2000');
  await editor.getByRole('button', { name: 'from here' }).click();
  await page.getByLabel('Moment of the title').fill('6000');
  await editor.getByRole('button', { name: 'to here' }).click();
  await expect(cards(page).first()).toContainText('0:02 to 0:06');
  await page.keyboard.press('Control+z');
  await expect(cards(page).first()).not.toContainText('0:02 to 0:06');

  // As a list they are sorted, and changed together.
  await page.getByRole('option', { name: /^Title 1,/ }).click();
  await page.keyboard.press('t');
  await expect(cards(page)).toHaveCount(2);
  await page.getByRole('radio', { name: 'list' }).click();
  await page.getByRole('button', { name: 'Sort by length' }).click();
  await expect(page.getByLabel('Name of the reel').first()).toHaveValue(/title 1/);
  await page.getByLabel('Choose all reels').check();
  await page.getByRole('group', { name: 'What to do with the chosen reels' }).getByRole('button', { name: 'with access copy' }).click();
  await expect(page.getByRole('checkbox', { name: 'Access copy', checked: true })).toHaveCount(2);
  expect(await seriousFaults(page)).toEqual([]);
  await page.getByRole('group', { name: 'What to do with the chosen reels' }).getByRole('button', { name: 'remove' }).click();
  await expect(page.getByText('No reel yet')).toBeVisible();
  expect(complaints).toEqual([]);
});

test('two titles are compared, the map comes closer, and the table finds', async ({ page, open, complaints }) => {
  await open('/');
  await page.getByRole('button', { name: 'Read all that are new' }).click();
  await openBench(page, 'Haven & Harbour');
  await page.getByRole('option', { name: /^Title 1,/ }).click();
  await expect(cards(page)).toHaveCount(1);
  await page.keyboard.press('c');
  const dialog = page.getByRole('dialog');
  await dialog.getByLabel('Compare with').selectOption('2');
  await expect(dialog).toContainText('0:07 are the same, all from 0:04 on');
  await expect(dialog.getByRole('row', { name: /not there/ })).toContainText('0:05 from 0:04');
  await expect(dialog.getByRole('img', { name: /^Title 2 at/ })).toBeVisible();
  expect(await seriousFaults(page)).toEqual([]);
  await page.keyboard.press('Escape');
  const lane = page.getByRole('option', { name: /^Title 2,/ });
  await lane.click();
  const block = lane.locator('div[title]').first();
  const before = (await block.boundingBox())?.width ?? 0;
  await page.keyboard.press('+');
  await expect.poll(async () => (await block.boundingBox())?.width ?? 0).toBeGreaterThan(before * 1.7);
  await page.keyboard.press('ArrowRight');
  await page.keyboard.press('0');
  await expect.poll(async () => (await block.boundingBox())?.width ?? 0).toBeCloseTo(before, 0);
  await page.getByRole('radio', { name: 'table' }).click();
  await page.getByLabel('Find titles').fill('hevc');
  const table = page.getByRole('table', { name: 'Titles as a table' });
  await page.getByLabel('Find titles').fill('another cut');
  await expect(table.getByRole('row', { name: /^Title/ })).toHaveCount(1);
  await table.getByRole('row', { name: /^Title/ }).click();
  expect(await seriousFaults(page)).toEqual([]);
  await page.keyboard.press('Escape');
  await page.locator('h1').click();
  await page.keyboard.press('?');
  await expect(page.getByRole('dialog', { name: 'Keys' })).toContainText('merge the selected reel into the one before');
  expect(complaints).toEqual([]);
});

test('house rules decide with their reasons, are overruled, and an overruling becomes a rule', async ({ page, open, complaints }) => {
  await open('/rules');
  await chooseLanguage(page, 'Add a preferred language', 'Scottish Gaelic');
  await page.getByLabel('Which audio').selectOption('preferred');
  await page.getByRole('button', { name: 'Add a part to the file name' }).click();
  await page.getByRole('menuitem', { name: 'title number' }).click();
  await page.getByLabel('Text before it').fill(' - ');
  await page.getByLabel('Digits').selectOption('2');
  await expect(page.getByText('gives “Tide Tables 01x02 Slack Water (1987) - 03”')).toBeVisible();
  await keepRules(page);
  expect(await seriousFaults(page)).toEqual([]);
  await open('/');
  await readImage(page, 'QUAY.iso', 'Quay');
  await openBench(page, 'Quay');
  await expect(cards(page).first()).toContainText('Quay - 02.mkv');
  const english = page.getByRole('checkbox', { name: /^Audio: English/ }).first();
  await expect(english).not.toBeChecked();
  await expect(page.getByText('not a preferred language').first()).toBeVisible();
  await english.click();
  await expect(page.getByText('overruled')).toBeVisible();
  await page.getByRole('button', { name: 'make this a rule' }).click();
  await expect(page.getByText('overruled')).toHaveCount(0);
  await open('/rules');
  await expect(page.getByRole('group', { name: 'Preferred languages' })).toHaveText(/^Scottish Gaelic\s*English/);
  await expect(page.getByRole('region', { name: 'Consequences' })).toContainText('Quay');
  expect(complaints).toEqual([]);
});

test('what is said of a disc goes to its reels, and a series goes on from disc to disc', async ({ page, open }) => {
  await open('/');
  await readImage(page, 'LOCKS.iso', 'Locks');
  await openBench(page, 'Locks');
  await expect(cards(page)).toHaveCount(3);
  await page.getByRole('button', { name: 'About this disc' }).click();
  const dialog = page.getByRole('dialog');
  await dialog.getByLabel('Series').fill('Up the Locks');
  await dialog.getByLabel('Season').fill('2');
  await expect(dialog).toContainText('goes on with 1');
  await dialog.getByLabel('First episode').fill('7');
  await dialog.getByRole('button', { name: 'Keep' }).click();
  await expect(cards(page).first()).toContainText('Up the Locks 02x07');
  await expect(cards(page).nth(2)).toContainText('Up the Locks 02x09');
});

test('a page that is left while its browser still writes loses nothing of what was chosen', async ({ page, open }) => {
  await open('/');
  await readImage(page, 'QUAY.iso', 'Quay');
  await openBench(page, 'Quay');
  await expect(cards(page)).toHaveCount(1);
  // A slow disk: what is written is down only long after.
  await page.evaluate(() => {
    IDBTransaction.prototype.commit = () => undefined;
    // eslint-disable-next-line @typescript-eslint/unbound-method -- called with its own store below
    const put = IDBObjectStore.prototype.put;
    IDBObjectStore.prototype.put = function (...args) {
      const until = performance.now() + 20_000;
      const wait = (): void => {
        if (performance.now() < until) this.count().onsuccess = wait;
      };
      wait();
      return put.apply(this, args);
    };
  });
  await page.getByLabel('Name of the reel').fill('Slack Water');
  await page.reload();
  await expect(page.getByLabel('Name of the reel')).toHaveValue('Slack Water');
  // It is in the catalogue now, and only there.
  await expect.poll(() => page.evaluate(() => Object.keys(localStorage).filter((k) => k.includes('unsaved')))).toEqual([]);
  await page.reload();
  await expect(page.getByLabel('Name of the reel')).toHaveValue('Slack Water');
});

test('Escape closes the menu that is open, whatever ends meanwhile; it is told after that', async ({ page, open }) => {
  await open('/');
  await readImage(page, 'QUAY.iso', 'Quay');
  await openBench(page, 'Quay');
  await expect(page.getByRole('status').filter({ hasText: 'is read' })).toHaveCount(0);
  await cards(page)
    .getByRole('button', { name: /^What to do with the reel/ })
    .click();
  await expect(page.getByRole('menu')).toBeVisible();
  const other = await page.context().newPage();
  await other.goto(new URL('/', page.url()).href);
  await readImage(other, 'LOCKS.iso', 'Locks');
  await expect(other.getByText(/^Locks is read/).first()).toBeVisible();
  await page.bringToFront();
  await page.keyboard.press('Escape');
  await expect(page.getByRole('menu')).toHaveCount(0);
  await expect(page.getByText(/^Locks is read/).first()).toBeVisible();
});
