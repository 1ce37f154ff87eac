import { spawn, type ChildProcess } from 'node:child_process';
import { existsSync, mkdirSync, mkdtempSync, readFileSync, rmSync } from 'node:fs';
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
  for (const child of started.splice(0)) child.kill('SIGTERM');
  await new Promise((resolve) => setTimeout(resolve, 500));
  rmSync(folder, { recursive: true, force: true });
});

interface Started {
  readonly child: ChildProcess;
  readonly said: () => string;
  readonly code: Promise<number | null>;
}

function start(images = 'images'): Started {
  const at = (name: string) => path.join(folder, name);
  const args = ['scripts/start.mjs', '--images', at(images), '--library', at('library'), '--data', at('data'), '--port', '4740'];
  const child = spawn(process.execPath, args);
  started.push(child);
  let said = '';
  for (const stream of [child.stdout, child.stderr]) stream.on('data', (data: Buffer) => (said += data.toString()));
  return { child, said: () => said, code: new Promise((resolve) => child.once('exit', resolve)) };
}

async function addressOf({ said }: Started): Promise<string> {
  await expect.poll(said, { timeout: 60_000 }).toContain('Careful Vault is at http://');
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
  expect(second.said()).toContain(`at ${address} (process ${String(first.child.pid)})`);
  expect(second.said()).toContain(`kill ${String(first.child.pid)}`);
  expect(config()).toBe(before);
  expect(await answers(address)).toBe(true);

  first.child.kill('SIGKILL');
  await expect.poll(() => answers(address), { timeout: 20_000 }).toBe(false);
  const third = start('other');
  expect(await addressOf(third)).toBe(address);
  expect(config()).not.toBe(before);

  // A terminal that is closed.
  third.child.kill('SIGHUP');
  await third.code;
  await expect.poll(() => answers(address), { timeout: 20_000 }).toBe(false);
  expect(existsSync(path.join(folder, 'data', 'running.json'))).toBe(false);
});
