import { request } from 'node:http';
import { AxeBuilder } from '@axe-core/playwright';
import { expect, overlaps, readImage, settled, test } from './app';

test.use({ house: 'screens' });

for (const theme of ['light', 'dark'] as const) {
  test(`no serious fault of accessibility, no complaint of the browser: ${theme}`, async ({ page, open, complaints }) => {
    await page.emulateMedia({ colorScheme: theme });
    await open('/');
    await readImage(page, 'QUAY.iso', 'Quay');
    for (const place of ['/', '/bench', '/queue', '/vault']) {
      await open(place);
      await expect(page.getByRole('heading', { level: 1 })).toBeVisible();
      await settled(page);
      const { violations } = await new AxeBuilder({ page }).analyze();
      expect(
        violations
          .filter((v) => v.impact === 'serious' || v.impact === 'critical')
          .map(
            (v) =>
              `${place} ${v.id}: ${v.nodes
                .map((n) => n.html)
                .join(' ')
                .slice(0, 400)}`,
          ),
      ).toEqual([]);
    }
    expect(complaints).toEqual([]);
  });
}

test('the theme that was chosen is remembered', async ({ page, open }) => {
  await open('/');
  const ground = () => page.evaluate(() => getComputedStyle(document.body).backgroundColor);
  const before = await ground();
  await page.getByRole('button', { name: 'Light or dark' }).click();
  const after = await ground();
  expect(after).not.toBe(before);
  await page.reload();
  expect(await ground()).toBe(after);
});

test('screens hold from 1024 to 2560 pixels: nothing leaves them sideways, nothing stands over anything else', async ({ page, open }) => {
  await open('/');
  await readImage(page, 'LOCKS.iso', 'Locks');
  for (const width of [1024, 1280, 2560]) {
    await page.setViewportSize({ width, height: 800 });
    for (const place of ['/', '/bench', '/queue', '/vault', '/recipes', '/rules']) {
      await open(place);
      await expect(page.getByRole('heading', { level: 1 })).toBeVisible();
      expect(await page.evaluate(() => document.documentElement.scrollWidth)).toBeLessThanOrEqual(width);
      await settled(page);
      expect({ width, place, overlaps: await overlaps(page) }).toEqual({ width, place, overlaps: [] });
    }
  }
});

test('the web server answers its own pages only', async ({ app }) => {
  const { port } = new URL(app.address);
  const ask = (path: string, headers: Record<string, string>, method = 'GET') =>
    new Promise<{ status: number; policy: string }>((resolve, reject) => {
      const outgoing = request({ host: '127.0.0.1', port, path, method, headers }, (response) => {
        response.resume();
        resolve({ status: response.statusCode ?? 0, policy: String(response.headers['content-security-policy'] ?? '') });
        if (path.endsWith('/events')) outgoing.destroy();
      });
      outgoing.on('error', reject);
      outgoing.end();
    });
  const own = { host: `127.0.0.1:${port}` };
  expect(await ask('/', own)).toMatchObject({ status: 200, policy: expect.stringContaining("default-src 'self'") as unknown as string });
  expect((await ask('/api/state', own)).status).toBe(200);
  expect((await ask('/api/state', { host: `evil.example:${port}` })).status).toBe(403);
  expect((await ask('/', { host: 'evil.example', 'x-forwarded-host': `127.0.0.1:${port}` })).status).toBe(403);
  expect((await ask('/api/state', { ...own, origin: 'https://evil.example' })).status).toBe(403);
  expect((await ask('/api/events', { ...own, 'sec-fetch-site': 'cross-site' })).status).toBe(403);
  expect((await ask('/api/drives/tray-1/eject', own, 'POST')).status).toBe(403);
  for (const path of [
    '/api/outputs/..%2f..%2fetc%2fpasswd/play',
    '/api/browse?root=images&path=../..',
    '/api/../../etc/passwd',
    '/_next/../package.json',
  ]) {
    expect((await ask(path, own)).status).toBeGreaterThanOrEqual(400);
  }
});
