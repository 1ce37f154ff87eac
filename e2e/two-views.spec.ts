import { spawnSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { readFileSync } from 'node:fs';
import path from 'node:path';
import type { Page } from '@playwright/test';
import { cards, editorOf, expect, openBench, seriousFaults, test } from './app';

test.use({ house: 'two-views' });

/** What both views' pictures are, as they were before the disc was authored. */
const { first, second } = (
  JSON.parse(readFileSync(path.resolve('.cache/fixtures/proving/views-twin.json'), 'utf8')) as Record<
    string,
    { first: string[]; second: string[] }
  >
)['00012'] as { first: string[]; second: string[] };

function ffmpeg(args: readonly string[]): { out: Buffer; said: string } {
  const { stdout, stderr, status } = spawnSync('ffmpeg', ['-nostdin', '-hide_banner', ...args], { maxBuffer: 2 ** 28 });
  if (status !== 0) throw new Error(stderr.toString());
  return { out: stdout, said: stderr.toString() };
}

/** A duplicate of a recipe, with both eyes as they are wished. */
async function ownRecipe(page: Page, of: string, name: string, layout: string, more: () => Promise<void> = () => Promise.resolve()) {
  await page.locator(`[data-recipe=${of}]`).click();
  await page.getByRole('button', { name: 'Duplicate and change' }).click();
  await page.getByLabel('Name of the recipe').fill(name);
  await page.getByLabel('Both eyes', { exact: true }).selectOption(layout);
  await page.getByLabel('Behind the file’s name').fill(` (${name})`);
  await more();
  await page.getByRole('button', { name: 'Keep' }).click();
  await expect(page.getByRole('heading', { name })).toBeVisible();
}

test('a disc with two views: looked at with both eyes, proven whole, and copied with both', async ({ page, app, open, complaints }) => {
  await open('/');
  await page.getByRole('button', { name: 'Read all that are new' }).click();
  await expect(page.getByRole('link', { name: 'Twin', exact: true })).toBeVisible();
  await page.getByRole('link', { name: 'Recipes' }).click();
  await ownRecipe(page, 'both-eyes', 'below', 'over-under', () => page.getByLabel('Quality', { exact: true }).fill('16'));
  await ownRecipe(page, 'preservation', 'exact', 'side by side');

  await page.getByRole('link', { name: /^Shelf/ }).click();
  await openBench(page, 'Twin');
  await page.getByRole('option', { name: /^Title 1,/ }).click();
  await page.keyboard.press('t');
  // The same moment, by each eye.
  const picture = page.getByRole('img', { name: /^Title 1 at/ });
  await page
    .getByRole('button', { name: /^Look at/ })
    .nth(3)
    .click();
  await expect(picture).toHaveAttribute('src', /^data:image/);
  const shows = async (eyes: string): Promise<string> => {
    const before = await picture.getAttribute('src');
    await page.getByLabel('Eyes that are shown').selectOption(eyes);
    await expect.poll(() => picture.getAttribute('src')).not.toBe(before);
    await expect(picture).toHaveAttribute('src', /^data:image/);
    return (await picture.getAttribute('src')) ?? '';
  };
  expect(new Set([await shows('right'), await shows('both'), await shows('glasses')]).size).toBe(3);
  expect(await seriousFaults(page)).toEqual([]);

  await page.getByLabel('Name of the reel').fill('Reef in depth');
  for (const name of ['Both eyes', 'below', 'exact']) {
    await cards(page).first().getByRole('button', { name: 'More recipes' }).click();
    await page.getByRole('menuitem', { name: new RegExp(`^${name}`) }).click();
    await page.keyboard.press('Escape');
  }
  // Where drawn subtitles stand is told for the reel, within bounds, and kept when the page is opened anew.
  const editor = editorOf(page);
  await editor.getByRole('tab', { name: /^Tracks/ }).click();
  await editor.getByLabel('Add a subtitle file').setInputFiles({
    ...{ name: 'reef.srt', mimeType: 'application/x-subrip' },
    buffer: Buffer.from('1\n00:00:00,500 --> 00:00:01,500\nBelow\n'),
  });
  const depth = editor.getByLabel('Depth of drawn subtitles');
  // What the disc's author has put in front of the screen there, 14 of 320 columns: half of that in each eye, of 1,920, and one more.
  await page.getByRole('button', { name: 'Measure sound and picture' }).click();
  await editor.getByRole('button', { name: 'Draw them 43 pixels in front' }).click();
  await expect(depth).toHaveValue('43');
  await expect(editor).not.toContainText('Samples show things in front');
  await depth.fill('200');
  await expect(depth).toHaveValue('63');
  await depth.fill('-12');
  await expect(editor).toContainText('behind the screen');
  await page.reload();
  await cards(page)
    .first()
    .getByText(/^title/)
    .click();
  await page.keyboard.press('t');
  await expect(depth).toHaveValue('-12');
  await page.getByRole('button', { name: /^Queue 1 reel/ }).click();
  await page.getByRole('link', { name: /^Queue/ }).click();
  await expect(page.getByRole('listitem', { name: 'Job Reef in depth' }).getByText('in the vault', { exact: true })).toBeVisible();
  const result = (ending: string) => path.join(app.library, app.results().find((n) => n.endsWith(ending)) ?? ending);

  const { reel } = JSON.parse(readFileSync(`${result('(exact).mkv')}.json`, 'utf8')) as { reel: { subtitleDepth?: number } };
  expect(reel.subtitleDepth).toBe(-12);

  // The exact copy holds the very pictures that there were before the disc was authored.
  const { out } = ffmpeg([
    '-v',
    'error',
    '-i',
    result('(exact).mkv'),
    '-fps_mode',
    'passthrough',
    '-pix_fmt',
    'yuv420p',
    '-f',
    'rawvideo',
    '-vf',
    'crop=320:180:320:0',
    '-',
  ]);
  const bytes = (320 * 180 * 3) / 2;
  const sums = Array.from({ length: out.byteLength / bytes }, (_, i) =>
    createHash('md5')
      .update(out.subarray(i * bytes, (i + 1) * bytes))
      .digest('hex'),
  );
  expect(sums).toEqual(second);
  expect(first).toHaveLength(second.length);

  // Each half of the encoded ones is the view that it should be, not the other one.
  const near = (file: string, crop: string, other: string): number => {
    const graph = `[0:v]${crop},settb=1/25,setpts=N[a];[1:v]${other},settb=1/25,setpts=N[b];[a][b]ssim`;
    const { said } = ffmpeg(['-v', 'info', '-i', file, '-i', result('(exact).mkv'), '-lavfi', graph, '-f', 'null', '-']);
    return Number(/SSIM Y:([\d.]+)/.exec(said)?.[1]);
  };
  const [left, right] = ['crop=320:180:0:0', 'crop=320:180:320:0'];
  expect(near(result('(below).mp4'), left, left)).toBeGreaterThan(0.98);
  expect(near(result('(below).mp4'), 'crop=320:180:0:180', right)).toBeGreaterThan(0.98);
  const half = app.results().find((n) => n.endsWith('.mp4') && !n.includes('(below)')) ?? '';
  expect(near(path.join(app.library, half), 'crop=160:180:160:0,scale=320:180', right)).toBeGreaterThan(0.93);

  // A player needs no setting: the prober reads back how both eyes stand.
  const said = (file: string) =>
    spawnSync('ffprobe', ['-v', 'error', '-select_streams', 'v:0', '-show_streams', file], { encoding: 'utf8' }).stdout;
  expect(said(result('(below).mp4'))).toMatch(/width=320\nheight=360\n.*type=top and bottom/s);
  expect(said(path.join(app.library, half))).toMatch(/width=320\nheight=180\n.*type=side by side/s);

  await page.getByRole('link', { name: /^Vault/ }).click();
  await page.getByRole('button', { name: /Reef in depth.*below/ }).click();
  const outcome = page.getByRole('region', { name: 'Outcome' });
  await expect(outcome).toContainText(/SSIM 0\.9\d+, worst picture/);
  await expect(outcome.getByRole('listitem').filter({ hasText: /headset/ })).toContainText('✓');
  // The copy is one picture; the master is watched by one eye or by both.
  await expect(page.getByLabel('Eyes that are shown')).toHaveCount(0);
  await page.getByRole('button', { name: /Reef in depth.*master/i }).click();
  const width = () => page.getByTestId('player').evaluate((v: HTMLVideoElement) => v.videoWidth);
  await page.getByLabel('Eyes that are shown').selectOption('left');
  await expect.poll(width).toBe(320);
  await page.getByLabel('Play from').selectOption({ index: 1 });
  await page.getByLabel('Eyes that are shown').selectOption('both');
  await expect.poll(width).toBe(640);
  const length = () => page.getByTestId('player').evaluate((v: HTMLVideoElement) => v.duration);
  await page.getByTestId('player').evaluate((v: HTMLVideoElement) => v.play());
  await expect.poll(() => page.getByTestId('player').evaluate((v: HTMLVideoElement) => v.ended)).toBe(true);
  expect(await length()).toBeGreaterThan(1.8);
  expect(await length()).toBeLessThan(2.3);
  expect(complaints).toEqual([]);
});
