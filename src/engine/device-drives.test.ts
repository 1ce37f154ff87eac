import { spawn, spawnSync } from 'node:child_process';
import { once } from 'node:events';
import { closeSync, copyFileSync, existsSync, openSync, readFileSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { userInfo } from 'node:os';
import path from 'node:path';
import type { DriveState, SourceRef } from '@/contract';
import { wholeTitleReel } from '@/core/reels';
import { holdersOf, lookAtDevice, rightsFor } from '@/node/device';
import { deviceBytes, openFileSource } from '@/node/files';
import { LOCKS, QUAY, temporaryFolder, titleOf } from '@/test-support/discs';
import { TestEngine, refusal } from '@/test-support/engine';

/**
 * Drives of the machine. What stands in for one is a loop device where this machine lets us have one, so that the kernel's own block
 * layer is asked; and an image named as a drive in any case.
 */

/** A loop device over an image, for reading only; null where there is none to be had. */
function loop(image: string): string | null {
  const { status, stdout } = spawnSync('losetup', ['--find', '--show', '--read-only', image], { encoding: 'utf8' });
  return status === 0 ? stdout.trim() : null;
}
const unloop = (device: string) => spawnSync('losetup', ['--detach', device]);

const folder = temporaryFolder();
const stand = path.join(folder, 'reader');
const device = loop(QUAY);
let engine: TestEngine;
beforeAll(async () => {
  const devices = [{ id: 'reader', name: 'Reader', path: stand }, ...(device === null ? [] : [{ id: 'loop', name: 'Loop', path: device }])];
  engine = new TestEngine([], [], undefined, devices);
  await engine.start();
});
afterAll(async () => {
  await engine.stop();
  if (device !== null) unloop(device);
});

const drive = async (id: string): Promise<DriveState> => {
  const found = (await engine.call('state')).drives.find((d) => d.id === id);
  if (!found) throw new Error('no such drive');
  return found;
};
const until = (id: string, wished: (d: DriveState) => boolean) =>
  engine.until(async () => {
    const now = await drive(id);
    return wished(now) ? now : null;
  });
const reading = (label: string) =>
  engine.until(async () => (await engine.call('state')).readings.find((t) => t.name.startsWith(label) && t.state === 'done') ?? null);

test('a drive is there or not, and a disc that is put in is recognised by itself; another is another', async () => {
  expect(await drive('reader')).toMatchObject({ state: 'away', disc: null, simulated: false, device: stand, problem: null });
  const ref: SourceRef = { kind: 'drive', drive: 'reader' };
  expect(await refusal(engine.call('startReading', { body: { source: ref } }))).toBe('drive-empty');
  copyFileSync(QUAY, stand);
  expect(await until('reader', (d) => d.state === 'ready')).toMatchObject({ disc: 'QUAY' });
  const first = await reading('QUAY');
  expect(first.source).toEqual(ref);
  rmSync(stand);
  await until('reader', (d) => d.state === 'away');
  copyFileSync(LOCKS, stand);
  await until('reader', (d) => d.disc === 'LOCKS');
  const second = await reading('LOCKS');
  expect(second.fingerprint).not.toBe(first.fingerprint);
  // What is wanted of the first disc is not taken from the second.
  const { reading: quay } = await engine.call('reading', { id: first.id });
  if (!quay) throw new Error('nothing was read');
  const reel = { ...wholeTitleReel(titleOf(quay, 2), 'Wrong disc'), recipes: ['master'] };
  const body = { source: ref, fingerprint: quay.fingerprint, reading: quay, reel, storage: 'library', folder: '', copies: [], places: [] };
  const { jobId } = await engine.call('submitJob', { body });
  expect(await engine.jobUntil(jobId, (j) => j.problem !== null)).toMatchObject({ state: 'waiting', problem: { code: 'other-disc' } });
  await engine.call('cancelJob', { id: jobId });
  await engine.jobUntil(jobId, (j) => j.state === 'cancelled');
  // It has no tray that could move: that is said, and nothing happens to it.
  expect(await refusal(engine.call('eject', { id: 'reader' }))).toBe('drive-refused');
  expect((await drive('reader')).state).toBe('ready');
});

test('what is no disc has no label; what is no drive, and what somebody may not read, is said with what to type', async () => {
  const odd = path.join(folder, 'odd');
  writeFileSync(odd, Buffer.alloc(300_000, 1));
  expect(await lookAtDevice(odd, null)).toMatchObject({ state: 'ready', medium: { label: null } });
  writeFileSync(odd, '');
  expect((await lookAtDevice(odd, null)).state).toBe('empty');
  expect((await lookAtDevice(folder, null)).problem?.message).toContain('is no drive');
  expect((await lookAtDevice('/dev/null', null)).problem?.code).toBe('drive-refused');
  // A disc that is known is not opened again: even one that could not be.
  copyFileSync(QUAY, odd);
  const { medium } = await lookAtDevice(odd, null);
  expect(await lookAtDevice(odd, medium)).toEqual({ state: 'ready', medium, problem: null });
  // Group 24 is that of optical drives on Debian; what its group may not read must be opened to it first.
  const who = userInfo().username;
  expect(await rightsFor('/dev/sr0', { gid: 24, mode: 0o60660 })).toBe(`sudo usermod -aG cdrom ${who}`);
  expect(await rightsFor('/dev/sr0', { gid: 24, mode: 0o60600 })).toBe('sudo chmod g+r /dev/sr0');
});

test('who has a device open is found by its process', async () => {
  const held = path.join(folder, 'held');
  copyFileSync(QUAY, held);
  expect(await holdersOf(held)).toEqual([]);
  const fd = openSync(held, 'r');
  const child = spawn('sleep', ['60'], { stdio: [fd, 'ignore', 'ignore'] });
  closeSync(fd);
  try {
    await once(child, 'spawn');
    expect(await holdersOf(held)).toEqual([`sleep (process ${child.pid ?? 0}) has it open`]);
  } finally {
    child.kill();
  }
});

const withLoop = device === null ? test.skip : test;
withLoop('a block device: its size, its label and a proven master of what lies in it', async () => {
  if (device === null) return;
  expect(await deviceBytes(statSync(device).rdev)).toBe(statSync(QUAY).size);
  const source = await openFileSource(device);
  expect(source.sizeBytes).toBe(statSync(QUAY).size);
  const [there, wanted] = [new Uint8Array(4096), readFileSync(QUAY).subarray(100_000, 104_096)];
  await source.read(100_000, there);
  await source.close();
  expect(Buffer.from(there).equals(wanted)).toBe(true);
  expect(await until('loop', (d) => d.state === 'ready')).toMatchObject({ disc: 'QUAY', device });
  const { jobId } = await engine.submit({ kind: 'drive', drive: 'loop' }, (r) => ({
    ...wholeTitleReel(titleOf(r, 2), 'From a device'),
    recipes: ['master'],
  }));
  expect(await engine.jobUntil(jobId, (j) => ['done', 'failed'].includes(j.state))).toMatchObject({ state: 'done', problem: null });
  const output = (await engine.outputs()).find((o) => o.path === 'From a device.mkv');
  expect(output?.sidecar).toMatchObject({ proof: { passed: true }, disc: { label: 'QUAY' } });
  expect(existsSync(path.join(engine.library, 'From a device.mkv'))).toBe(true);
});
