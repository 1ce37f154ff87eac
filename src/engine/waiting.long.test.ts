import { copyFileSync, readFileSync, readdirSync, renameSync, rmSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { isOver, type JobState, type SourceRef } from '@/contract';
import type { Reading } from '@/core/reading';
import { wholeTitleReel } from '@/core/reels';
import { LOCKS, QUAY, temporaryFolder, titleOf } from '@/test-support/discs';
import { TestEngine, makeShare } from '@/test-support/engine';
import { QUICK } from '@/test-support/recipes';

/**
 * What is away or full is waited for: the job says what it waits for, nothing in the library looks finished, other jobs go on, and it goes
 * on by itself when that is mended. What comes of it in the end is the same, byte for byte, as what comes of a job that nothing happened to.
 */
const tray: SourceRef = { kind: 'drive', drive: 'tray' };
const device: SourceRef = { kind: 'drive', drive: 'device' };
const reel =
  (name: string, recipes: readonly string[] = ['master']) =>
  (reading: Reading) => ({ ...wholeTitleReel(titleOf(reading, 2), name), recipes });

const folder = temporaryFolder();
const share = path.join(folder, 'share');
const deviceFile = path.join(folder, 'device');
const ROOM = 30e6;
makeShare(share, ROOM);
copyFileSync(QUAY, deviceFile);
const engine = new TestEngine(
  [
    { id: 'slow', image: QUAY, gated: true, bytesPerSecond: 2.5e6 },
    { id: 'other', image: LOCKS },
    { id: 'worn', image: QUAY, unsteady: [{ sector: 2500, sectors: 3 }], retryMs: 5 },
    { id: 'scratched', image: QUAY, scratches: [{ sector: 2600, sectors: 2 }], unsteady: [{ sector: 2500, sectors: 3 }], retryMs: 5 },
  ],
  [{ id: 'share', name: 'Share', path: share }],
  folder,
  [{ id: 'device', name: 'Device', path: deviceFile }],
);
let whole: Buffer;
beforeAll(async () => {
  await engine.start();
  await engine.call('takeStorage', { id: 'share' });
  const { jobId } = await engine.submit({ kind: 'place', root: 'images', path: 'QUAY.iso' }, reel('Undisturbed'));
  expect((await engine.jobUntil(jobId, isOver)).state).toBe('done');
  whole = readFileSync(path.join(engine.library, 'Undisturbed.mkv'));
});
afterAll(() => engine.stop('SIGKILL'));
afterEach(() => {
  rmSync(path.join(share, 'filler'), { force: true });
});

const insert = async (disc: string) => {
  await engine.until(async () => ((await engine.call('state')).drives.find((d) => d.id === 'tray')?.state !== 'reading' ? true : null));
  await engine.call('insert', { id: 'tray', body: { disc } });
};
const waits = (code: string) => (job: JobState) => job.state === 'waiting' && job.problem?.code === code;
/** A title of its own in each file: but for that, they are the same. */
const without = (file: Buffer, name: string) => file.subarray(0).toString('latin1').replaceAll(name, '').length;
const isSameAsWhole = (file: string, name: string) => {
  const made = readFileSync(file);
  // Sizes of titles differ, the clusters do not.
  const cluster = Buffer.from([0x1f, 0x43, 0xb6, 0x75]);
  const from = (b: Buffer) => b.subarray(b.indexOf(cluster), b.lastIndexOf(cluster));
  expect(Buffer.compare(from(made), from(whole))).toBe(0);
  expect(without(made, name)).toBeGreaterThan(0);
};
const results = (place: string) => readdirSync(place).filter((n) => !n.startsWith('.'));

test('a share whose quota is used up: the job waits, leaves its room to others, and goes on when there is room', async () => {
  await insert('slow');
  const { jobId } = await engine.submit(tray, reel('Full'), 'share');
  await engine.atWork(jobId);
  writeFileSync(path.join(share, 'filler'), Buffer.alloc(ROOM));
  const held = await engine.jobUntil(jobId, waits('storage-full'));
  expect(held.problem).toMatchObject({ message: expect.stringMatching(/“Share” has 0 MB free, about \d+ MB are needed/) as string });
  expect(held.problem?.whatToDo).toContain('go on by themselves');
  expect(results(share)).toEqual(['filler']);
  // What was half made of it is no use to anybody.
  expect(readdirSync(path.join(share, '.careful-vault', jobId))).toEqual([]);
  const beside = await engine.submit({ kind: 'place', root: 'images', path: 'QUAY.iso' }, reel('Beside'));
  expect((await engine.jobUntil(beside.jobId, isOver)).state).toBe('done');
  expect((await engine.job(jobId)).state).toBe('waiting');
  // It has not been begun again and again meanwhile.
  expect((await engine.call('jobLog', { id: jobId })).events.filter((e) => e.type === 'started')).toHaveLength(1);
  rmSync(path.join(share, 'filler'));
  expect(await engine.jobUntil(jobId, isOver)).toMatchObject({ state: 'done', problem: null });
  isSameAsWhole(path.join(share, 'Full.mkv'), 'Full');
});

test('a job that waits for room goes to another storage, if it is told to', async () => {
  await insert('slow');
  const { jobId } = await engine.submit(tray, reel('Moved'), 'share');
  await engine.atWork(jobId);
  writeFileSync(path.join(share, 'filler'), Buffer.alloc(ROOM));
  await engine.jobUntil(jobId, waits('storage-full'));
  await engine.call('changeJob', {
    id: jobId,
    body: { storage: 'library', folder: '', fileName: 'Moved', recipes: ['master'], copies: [] },
  });
  expect(await engine.jobUntil(jobId, isOver)).toMatchObject({ state: 'done', storage: 'Library' });
  isSameAsWhole(path.join(engine.library, 'Moved.mkv'), 'Moved');
  rmSync(path.join(share, 'filler'));
  expect(readdirSync(path.join(share, '.careful-vault')).filter((n) => n === jobId)).toEqual([]);
});

test('an encoder without room waits as well, with its master proven, and over the death of the engine', async () => {
  engine.holdEncoders();
  const { jobId } = await engine.submit(
    { kind: 'place', root: 'images', path: 'QUAY.iso' },
    (reading) => ({ ...reel('Encoded', ['master', 'access'])(reading) }),
    'share',
  );
  await engine.encoding(jobId);
  writeFileSync(path.join(share, 'filler'), Buffer.alloc(ROOM));
  await engine.jobUntil(jobId, waits('storage-full'));
  await engine.stop('SIGKILL');
  await engine.start();
  expect(waits('storage-full')(await engine.job(jobId))).toBe(true);
  rmSync(path.join(share, 'filler'));
  expect((await engine.jobUntil(jobId, isOver)).state).toBe('done');
  isSameAsWhole(path.join(share, 'Encoded.mkv'), 'Encoded');
  const { events } = await engine.call('jobLog', { id: jobId });
  expect(events.filter((e) => e.type === 'stage' && e.stage === 'master')).toHaveLength(1);
});

/** A job on the share whose master is finished, and whose copy waits for room there; nothing of its disc is left in its place. */
async function waitsWithMaster(name: string): Promise<string> {
  const disc = path.join(engine.sounds, `${name}.iso`);
  copyFileSync(QUAY, disc);
  engine.holdEncoders();
  const { jobId } = await engine.submit(
    { kind: 'place', root: 'sounds', path: `${name}.iso` },
    (reading) => ({ ...reel(name, ['master', 'access'])(reading) }),
    'share',
  );
  await engine.encoding(jobId);
  writeFileSync(path.join(share, 'filler'), Buffer.alloc(ROOM));
  await engine.jobUntil(jobId, waits('storage-full'));
  rmSync(disc);
  return jobId;
}
const toLibrary = (id: string, name: string) => {
  return engine.call('changeJob', {
    id,
    body: { storage: 'library', folder: '', fileName: name, recipes: ['master', 'access'], copies: [QUICK] },
  });
};

test('a finished master is taken along to another storage and proven there: its disc is not needed again', async () => {
  const jobId = await waitsWithMaster('Brought');
  await toLibrary(jobId, 'Brought');
  expect(await engine.jobUntil(jobId, isOver)).toMatchObject({ state: 'done', problem: null, storage: 'Library' });
  isSameAsWhole(path.join(engine.library, 'Brought.mkv'), 'Brought');
  const { events } = await engine.call('jobLog', { id: jobId });
  const times = (stage: string) => events.filter((e) => e.type === 'stage' && e.stage === stage).length;
  expect([times('master'), times('master proof'), times('placing')]).toEqual([1, 3, 1]);
  expect(readdirSync(path.join(share, '.careful-vault')).filter((n) => n === jobId)).toEqual([]);
  expect(results(share).filter((n) => n.startsWith('Brought'))).toEqual([]);
});

test('a master that has changed where it waited is no result elsewhere; one that is gone is made again', async () => {
  const jobId = await waitsWithMaster('Spoilt');
  const standing = path.join(share, '.careful-vault', jobId, 'master.mkv.part');
  const spoilt = readFileSync(standing);
  spoilt.writeUInt8(spoilt.readUInt8(spoilt.length >> 1) ^ 1, spoilt.length >> 1);
  writeFileSync(standing, spoilt);
  await toLibrary(jobId, 'Spoilt');
  expect(await engine.jobUntil(jobId, isOver)).toMatchObject({ state: 'failed', problem: { code: 'proof-failed' } });
  expect(results(engine.library).filter((n) => n.startsWith('Spoilt'))).toEqual([]);
  rmSync(path.join(share, 'filler'));
  const second = await waitsWithMaster('Lost');
  rmSync(path.join(share, '.careful-vault', second, 'master.mkv.part'));
  await toLibrary(second, 'Lost');
  await engine.jobUntil(second, waits('source-missing'));
  copyFileSync(QUAY, path.join(engine.sounds, 'Lost.iso'));
  expect((await engine.jobUntil(second, isOver)).state).toBe('done');
  isSameAsWhole(path.join(engine.library, 'Lost.mkv'), 'Lost');
  for (const id of [jobId, second]) expect(readdirSync(path.join(share, '.careful-vault'))).not.toContain(id);
});

test('a share that is unplugged in the middle, and plugged in again', async () => {
  await insert('slow');
  const { jobId } = await engine.submit(tray, reel('Unplugged'), 'share');
  await engine.atWork(jobId);
  await engine.call('plugStorage', { id: 'share', body: { plugged: false } });
  await engine.jobUntil(jobId, waits('storage-missing'));
  const state = (await engine.call('state')).storages.find((s) => s.id === 'share');
  expect(state).toMatchObject({ identity: 'away', simulated: true });
  await engine.call('plugStorage', { id: 'share', body: { plugged: true } });
  expect((await engine.jobUntil(jobId, isOver)).state).toBe('done');
  isSameAsWhole(path.join(share, 'Unplugged.mkv'), 'Unplugged');
  await expect(engine.call('plugStorage', { id: 'library', body: { plugged: false } })).rejects.toThrow('bad-request');
});

test('a disc that is pulled out is waited for, whatever else is laid in meanwhile', async () => {
  await insert('slow');
  const { jobId } = await engine.submit(tray, reel('Pulled'));
  await engine.atWork(jobId);
  await engine.call('pull', { id: 'tray' });
  const held = await engine.jobUntil(jobId, waits('disc-away'));
  expect(held.problem?.message).toBe('“slow in Tray” was taken out while it was read');
  await insert('other');
  await new Promise((resolve) => setTimeout(resolve, 600));
  expect(waits('disc-away')(await engine.job(jobId))).toBe(true);
  await insert('slow');
  expect((await engine.jobUntil(jobId, isOver)).state).toBe('done');
  isSameAsWhole(path.join(engine.library, 'Pulled.mkv'), 'Pulled');
});

test('a job whose disc is not in its drive waits for it before it is begun', async () => {
  await insert('slow');
  const { reading } = await engine.read(tray);
  if (!reading) throw new Error('nothing was read');
  const body = { source: tray, fingerprint: reading.fingerprint, reading, reel: reel('Later')(reading), storage: 'library', folder: '' };
  await engine.call('setQueue', { body: { ...(await engine.call('state')).queue, held: true } });
  const { jobId } = await engine.call('submitJob', { body });
  await engine.call('eject', { id: 'tray' });
  await engine.call('setQueue', { body: { ...(await engine.call('state')).queue, held: false } });
  expect((await engine.jobUntil(jobId, waits('disc-away'))).attempts).toBe(0);
  await insert('slow');
  expect((await engine.jobUntil(jobId, isOver)).state).toBe('done');
});

test('another disc in a drive of the machine: the job waits until its own lies there', async () => {
  const { reading } = await engine.read(device);
  if (!reading) throw new Error('nothing was read');
  const body = { source: device, fingerprint: reading.fingerprint, reading, reel: reel('Own')(reading), storage: 'library', folder: '' };
  const lay = (image: string) => {
    copyFileSync(image, `${deviceFile}.new`);
    renameSync(`${deviceFile}.new`, deviceFile);
  };
  lay(LOCKS);
  const { jobId } = await engine.call('submitJob', { body });
  await engine.jobUntil(jobId, waits('other-disc'));
  await new Promise((resolve) => setTimeout(resolve, 1000));
  expect((await engine.call('jobLog', { id: jobId })).events.filter((e) => e.type === 'started').length).toBeLessThan(3);
  // It may have been changed while no engine was there to see it.
  await engine.stop('SIGKILL');
  lay(QUAY);
  await engine.start();
  expect((await engine.jobUntil(jobId, isOver)).state).toBe('done');
  isSameAsWhole(path.join(engine.library, 'Own.mkv'), 'Own');
});

test('an image that is gone is waited for', async () => {
  const image: SourceRef = { kind: 'place', root: 'sounds', path: 'GOES.iso' };
  const file = path.join(engine.sounds, 'GOES.iso');
  copyFileSync(QUAY, file);
  const { reading } = await engine.read(image);
  if (!reading) throw new Error('nothing was read');
  await engine.call('setQueue', { body: { ...(await engine.call('state')).queue, held: true } });
  const body = { source: image, fingerprint: reading.fingerprint, reading, reel: reel('Gone')(reading), storage: 'library', folder: '' };
  const { jobId } = await engine.call('submitJob', { body });
  rmSync(file);
  await engine.call('setQueue', { body: { ...(await engine.call('state')).queue, held: false } });
  await engine.jobUntil(jobId, waits('source-missing'));
  copyFileSync(QUAY, file);
  expect((await engine.jobUntil(jobId, isOver)).state).toBe('done');
  isSameAsWhole(path.join(engine.library, 'Gone.mkv'), 'Gone');
});

test('a worn disc: what comes at a later try is in the master, and said; what never comes is a gap of its own length', async () => {
  await insert('worn');
  const worn = await engine.submit(tray, reel('Worn'));
  expect((await engine.jobUntil(worn.jobId, isOver)).state).toBe('done');
  isSameAsWhole(path.join(engine.library, 'Worn.mkv'), 'Worn');
  const notes = async (id: string) =>
    (await engine.call('jobLog', { id })).events.flatMap((e) => (e.type === 'note' && e.text.includes('did not come') ? [e.text] : []));
  expect(await notes(worn.jobId)).toEqual([expect.stringMatching(/all of them came when they were read again$/)]);
  await insert('scratched');
  const { jobId } = await engine.submit(tray, reel('Scratched'));
  const failed = await engine.jobUntil(jobId, isOver);
  expect(failed.problem).toMatchObject({ code: 'read-failed', message: expect.stringContaining('Sector 2600') as string });
  await engine.call('goAroundJob', { id: jobId });
  expect((await engine.jobUntil(jobId, (job) => job.state === 'done' || (isOver(job) && job.startedAt !== failed.startedAt))).state).toBe(
    'done',
  );
  const output = (await engine.outputs()).find((o) => o.path === 'Scratched.mkv');
  const damage = output?.sidecar.promise.wholeness?.faults.filter((f) => f.kind === 'unreadable') ?? [];
  expect(JSON.stringify(damage)).not.toBe('[]');
});

test('the quota of a share holds for what is no job as well: an image that goes beyond it stops, and says so', async () => {
  await insert('slow');
  writeFileSync(path.join(share, 'filler'), Buffer.alloc(ROOM - 2e6));
  const taken = await engine.call('takeImage', { body: { source: tray, storage: 'share', name: 'Worn', fill: 'zeroes', retries: 0 } });
  const stopped = await engine.until(async () => {
    const image = (await engine.call('state')).images.find((i) => i.id === taken.id);
    return image?.problem ? image : null;
  });
  expect(stopped.problem).toMatchObject({ code: 'storage-full' });
  rmSync(path.join(share, 'filler'));
  await engine.call('discardImage', { id: taken.id });
  await engine.call('takeImage', { body: { source: tray, storage: 'share', name: 'Worn', fill: 'zeroes', retries: 0 } });
  await engine.until(async () => ((await engine.call('state')).images.find((i) => i.name === 'Worn')?.state === 'whole' ? true : null));
  expect(readFileSync(path.join(share, 'Disc images', 'Worn.iso')).equals(readFileSync(QUAY))).toBe(true);
});
