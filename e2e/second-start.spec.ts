import { spawn, type ChildProcess } from 'node:child_process';
import { cpSync, existsSync, mkdirSync, mkdtempSync, readFileSync, readdirSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { expect, test } from '@playwright/test';

/** `npm start` as a shell would run it, more than once over one data folder, and ended in the ways that happen. */
let folder: string;
const started: ChildProcess[] = [];
test.beforeEach(() => {
  folder = mkdtempSync(path.join(tmpdir(), 'careful-vault-start-'));
  for (const name of ['images', 'library', 'other']) mkdirSync(path.join(folder, name));
});
test.afterEach(async () => {
  for (const child of started.splice(0)) {
    child.kill('SIGTERM');
    if (child.exitCode === null && child.signalCode === null) await new Promise((resolve) => child.once('exit', resolve));
  }
  rmSync(folder, { recursive: true, force: true, maxRetries: 20, retryDelay: 250 });
});

interface Started {
  readonly child: ChildProcess;
  readonly said: () => string;
  readonly code: Promise<number | null>;
}

function start(images = 'images', data = 'data', name = 'First archive'): Started {
  const at = (name: string) => path.join(folder, name);
  const args = [
    'scripts/start.mjs',
    '--images',
    at(images),
    '--library',
    at('library'),
    '--data',
    at(data),
    '--name',
    name,
    '--port',
    '4740',
  ];
  const child = spawn(process.execPath, args);
  started.push(child);
  let said = '';
  for (const stream of [child.stdout, child.stderr]) stream.on('data', (data: Buffer) => (said += data.toString()));
  return { child, said: () => said, code: new Promise((resolve) => child.once('exit', resolve)) };
}

async function addressOf({ said }: Started): Promise<string> {
  await expect.poll(said).toContain('Careful Vault is at http://');
  return /Careful Vault is at (\S+)/.exec(said())?.[1] ?? '';
}
const answers = (address: string) =>
  fetch(`${address}/api/state`).then(
    () => true,
    () => false,
  );
const config = () => readFileSync(path.join(folder, 'data', 'config.json'), 'utf8');

test('a second start names the first, and touches nothing of it; what a killed one leaves behind ends, and does not hinder the next', async () => {
  const first = start();
  const address = await addressOf(first);
  const before = config();
  const second = start('other');
  expect(await second.code).toBe(69);
  expect(second.said()).toContain(`at ${address} (process ${first.child.pid})`);
  expect(second.said()).toContain(`kill ${first.child.pid}`);
  expect(config()).toBe(before);
  expect(await answers(address)).toBe(true);

  first.child.kill('SIGKILL');
  await expect.poll(() => answers(address)).toBe(false);
  const third = start('other');
  expect(await addressOf(third)).toBe(address);
  expect(config()).not.toBe(before);

  // A terminal that is closed.
  third.child.kill('SIGHUP');
  await third.code;
  await expect.poll(() => answers(address)).toBe(false);
  expect(existsSync(path.join(folder, 'data', 'running.json'))).toBe(false);
});

test('a library is taken once; another archive at the same address has a shelf of its own, also in a page that was open', async ({
  page,
}) => {
  cpSync('.cache/fixtures/proving/discs/QUAY.iso', path.join(folder, 'images', 'QUAY.iso'));
  const first = start();
  const address = await addressOf(first);
  await page.goto(address);
  const library = page.getByRole('region', { name: 'Library storage' });
  await expect(library).toContainText('not yet taken');
  await expect(library).toContainText(path.join(folder, 'library'));
  await page.getByRole('button', { name: 'Read QUAY.iso', exact: true }).click();
  await page.getByRole('link', { name: 'Quay', exact: true }).click();
  await expect(page.getByText('Say first on the Shelf that library is the library.')).toBeVisible();
  await expect(page.getByRole('button', { name: /^Queue 1 reel/ })).toBeDisabled();
  expect(readdirSync(path.join(folder, 'library'))).toEqual([]);
  await page.getByRole('link', { name: 'Shelf', exact: true }).last().click();
  await library.getByRole('button', { name: 'Take it as the library' }).click();
  await expect(library).toContainText('free');
  await page.getByRole('link', { name: 'Quay', exact: true }).click();
  await page.getByRole('button', { name: /^Queue 1 reel/ }).click();
  await expect(page.getByRole('article')).toContainText('in the vault');
  await page.goto(address);
  await expect(page.getByRole('banner')).toContainText('First archive');

  first.child.kill('SIGTERM');
  await first.code;
  await expect(page.getByText('The engine does not answer')).toBeVisible();
  await expect(page.getByRole('link', { name: 'Quay', exact: true })).toBeVisible();
  const second = start('images', 'other-data', 'Second archive');
  expect(await addressOf(second)).toBe(address);
  // Nobody touches the page: it finds out by itself.
  await expect(page.getByRole('banner')).toContainText('Second archive');
  await expect(page.getByText('No disc has been read yet')).toBeVisible();
  await page.getByRole('link', { name: 'House rules' }).click();
  await page.getByLabel('Name of the archive').fill('Renamed archive');
  await page.getByRole('button', { name: 'Rename the archive' }).click();
  await expect(page.getByRole('banner')).toContainText('Renamed archive');

  second.child.kill('SIGTERM');
  await second.code;
  await addressOf(start());
  // By itself again: a visit from here would meet the page's own reload, and one of them be aborted.
  await expect(page.getByRole('banner')).toContainText('First archive');
  await page
    .getByRole('navigation', { name: 'Places' })
    .getByRole('link', { name: /^Shelf/ })
    .click();
  await expect(page.getByRole('link', { name: 'Quay', exact: true })).toBeVisible();
});
