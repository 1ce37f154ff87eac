import type { Page } from '@playwright/test';
import { cards, expect, openBench, seriousFaults, test } from './app';

test.use({ house: 'rehearsal' });

async function rehearse(page: Page): Promise<void> {
  await cards(page)
    .first()
    .getByRole('button', { name: /^Rehearse / })
    .click();
  await expect(page.getByRole('dialog', { name: /^Rehearsal/ })).toBeVisible();
}

test('a moment before and after a recipe, ten seconds of it, and another moment', async ({ page, open, complaints }) => {
  await open('/');
  await page.getByRole('button', { name: 'Read QUAY.iso', exact: true }).click();
  await openBench(page, 'Quay');
  await rehearse(page);
  const dialog = page.getByRole('dialog');
  await expect(dialog.getByAltText('as on the disc')).toBeVisible();
  await expect(dialog.getByAltText('as it will be')).toBeVisible();
  await expect(dialog).toContainText('a second here');
  const size = await dialog.getByAltText('as it will be').evaluate((img: HTMLImageElement) => [img.naturalWidth, img.naturalHeight]);
  expect(size).toEqual([1024, 576]);
  expect(await seriousFaults(page)).toEqual([]);
  const edge = dialog.getByRole('slider', { name: 'Edge between before and after' });
  await edge.focus();
  await page.keyboard.press('Home');
  await expect(edge).toHaveAttribute('aria-valuenow', '0');
  await page.keyboard.press('ArrowRight');
  await expect(edge).toHaveAttribute('aria-valuenow', '5');

  // Nothing is encoded: that is said, and no picture is called what it is not.
  await dialog.getByLabel('Recipe that is rehearsed').selectOption({ label: 'Same streams in MP4' });
  await expect(dialog).toContainText('the same: nothing is encoded');

  await dialog.getByLabel('Recipe that is rehearsed').selectOption({ label: 'Access copy' });
  await dialog.getByRole('button', { name: 'Ten seconds from here' }).click();
  const video = dialog.locator('video');
  await expect(video).toBeVisible();
  await expect.poll(() => video.evaluate((v: HTMLVideoElement) => (v.currentTime > 0.2 ? v.duration : 0))).toBeGreaterThan(3);
  await dialog.getByRole('button', { name: 'Back to the picture' }).click();
  await expect(video).toHaveCount(0);

  // Bars by hand: dragged, by key and by number; what is cut off is grey, and kept with the reel.
  await dialog.getByLabel('Recipe that is rehearsed').selectOption({ label: 'Lending copy' });
  await expect(dialog.getByAltText('as it will be')).toBeVisible();
  await dialog.getByRole('button', { name: 'Bars by hand' }).click();
  const top = dialog.getByRole('slider', { name: 'Bar at the top' });
  const before = Number(await top.getAttribute('aria-valuenow'));
  await top.focus();
  await page.keyboard.press('Shift+ArrowDown');
  await expect(top).toHaveAttribute('aria-valuenow', String(before + 16));
  await dialog.getByLabel('Pixels at the left').fill('40');
  const bottom = dialog.getByRole('slider', { name: 'Bar at the bottom' });
  const handle = await bottom.boundingBox();
  if (!handle) throw new Error('no handle');
  await page.mouse.move(handle.x + handle.width / 2, handle.y + handle.height / 2);
  await page.mouse.down();
  await page.mouse.move(handle.x + handle.width / 2, handle.y - 40, { steps: 4 });
  await page.mouse.up();
  const dragged = Number(await bottom.getAttribute('aria-valuenow'));
  expect(dragged).toBeGreaterThan(20);
  expect(await seriousFaults(page)).toEqual([]);
  await dialog.getByRole('button', { name: 'Done' }).click();
  const even = (n: number) => n - (n % 2);
  await expect(dialog).toContainText(`Black bars go; ${720 - 40} × ${576 - even(before + 16) - even(dragged)} pixels stay.`);
  await page.keyboard.press('Escape');
  await expect(dialog).toHaveCount(0);
  await rehearse(page);
  await dialog.getByLabel('Recipe that is rehearsed').selectOption({ label: 'Lending copy' });
  await dialog.getByRole('button', { name: 'Bars by hand' }).click();
  await expect(bottom).toHaveAttribute('aria-valuenow', String(dragged));
  await dialog.getByRole('button', { name: 'No bars' }).click();
  await expect(bottom).toHaveAttribute('aria-valuenow', '0');
  await page.keyboard.press('Escape');
  await expect(dialog).toHaveCount(0);
  expect(complaints).toEqual([]);
});

test('a trial: qualities beside each other, the smallest that is near enough, and its use for the reel', async ({ page, open }) => {
  test.slow();
  await open('/');
  // A small picture is tried sooner.
  await page.getByRole('button', { name: 'Read all that are new' }).click();
  await openBench(page, 'Haven & Harbour');
  await rehearse(page);
  const dialog = page.getByRole('dialog');
  await dialog.getByRole('radio', { name: 'what it takes' }).click();
  await dialog.getByRole('button', { name: 'Try', exact: true }).click();
  await expect(dialog.getByRole('button', { name: 'Stop' })).toBeVisible();
  const rows = dialog.getByRole('table', { name: 'Outcomes of the trial' }).getByRole('row');
  await expect(rows).toHaveCount(6);
  await expect(dialog.getByRole('button', { name: 'Try', exact: true })).toBeVisible();
  await expect(dialog.getByRole('img', { name: /^Size of the picture/ })).toBeVisible();
  // What was tried is there again at once, with another visit.
  await page.keyboard.press('Escape');
  await rehearse(page);
  await dialog.getByRole('radio', { name: 'what it takes' }).click();
  await expect(rows).toHaveCount(6);
  // What is larger is nearer.
  const ssim = (await rows.locator('td:nth-child(3)').allInnerTexts()).map(Number);
  expect([...ssim].sort((a, b) => b - a)).toEqual(ssim);
  await dialog.getByLabel('SSIM that is wanted').fill(String(((ssim[1] ?? 0) + (ssim[2] ?? 0)) / 2));
  await dialog.getByRole('button', { name: 'Find it' }).click();
  await expect(dialog.getByRole('status')).toContainText(/^Quality 1[7-9] is the smallest/);
  const found = /Quality (\d+)/.exec(await dialog.getByRole('status').innerText())?.[1];
  await dialog.getByRole('button', { name: `Use quality ${found}` }).click();
  await page.keyboard.press('Escape');
  await expect(
    cards(page)
      .first()
      .getByRole('checkbox', { name: `Access copy, quality ${found}` }),
  ).toBeChecked();
  // A trial that is stopped leaves nothing at work.
  await rehearse(page);
  await dialog.getByRole('radio', { name: 'what it takes' }).click();
  await dialog.getByRole('button', { name: 'Try', exact: true }).click();
  await dialog.getByRole('button', { name: 'Stop' }).click();
  await expect(dialog.getByRole('button', { name: 'Try', exact: true })).toBeEnabled();
});
