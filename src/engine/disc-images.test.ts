import { existsSync, mkdirSync, readFileSync, renameSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { wholeTitleReel } from '@/core/reels';
import { isOver, type DiscImageState, type SourceRef } from '@/contract';
import { QUAY, temporaryFolder, titleOf } from '@/test-support/discs';
import { digestLike } from '@/test-support/digest';
import { TestEngine, refusal } from '@/test-support/engine';

/**
 * Images of worn discs, through the engine: against the image that the simulated disc is made of, and the scratches that it was given,
 * neither of which the code that is tested has had a hand in.
 */
const SECTOR = 2048;
const original = readFileSync(QUAY);
const sectors = Math.floor(original.byteLength / SECTOR);
/** In the film, where packs stand. */
const [there, elsewhere] = [Math.floor(sectors * 0.6), Math.floor(sectors * 0.8)];
const retryMs = 2;
const DISCS = [
  { id: 'first', image: QUAY, retryMs, scratches: [{ sector: there, sectors: 25 }], unsteady: [{ sector: elsewhere - 300, sectors: 2 }] },
  { id: 'second', image: QUAY, retryMs, scratches: [{ sector: elsewhere, sectors: 10 }] },
  { id: 'third', image: QUAY, retryMs, scratches: [{ sector: there + 20, sectors: 40 }] },
  { id: 'slow', image: QUAY, retryMs, bytesPerSecond: 1.2e6 },
];
const other = path.join(temporaryFolder(), 'other.iso');
const tray: SourceRef = { kind: 'drive', drive: 'tray' };

let engine: TestEngine;
beforeAll(async () => {
  const changed = Buffer.from(original);
  for (let at = 0; at < changed.byteLength; at += SECTOR) changed[at + 100] = (changed[at + 100] ?? 0) ^ 0x55;
  writeFileSync(other, changed);
  engine = new TestEngine([...DISCS, { id: 'other', image: other }]);
  await engine.start();
});
afterAll(() => engine.stop());

const insert = (disc: string) => engine.call('insert', { id: 'tray', body: { disc } });
const take = (name: string, retries = 3) =>
  engine.call('takeImage', { body: { source: tray, storage: 'library', name, fill: 'words', retries } });
const image = async (id: string): Promise<DiscImageState> => {
  const found = (await engine.call('state')).images.find((i) => i.id === id);
  if (!found) throw new Error('no such image');
  return found;
};
const ended = (id: string) =>
  engine.until(async () => {
    const now = await image(id);
    return now.state === 'taking' || now.state === 'finishing' ? null : now;
  });
const inLibrary = (name: string) => path.join(engine.library, 'Disc images', name);

/** Sectors that an image does not have as they stood on the disc. */
function differing(file: string): number[] {
  const taken = readFileSync(file);
  expect(taken.byteLength).toBe(original.byteLength);
  return Array.from({ length: sectors }, (_, s) => s).filter(
    (s) => !taken.subarray(s * SECTOR, (s + 1) * SECTOR).equals(original.subarray(s * SECTOR, (s + 1) * SECTOR)),
  );
}
/** What the map's own text calls read, by a reader of its form that is not ours: a few lines of it. */
function unread(map: string): number[] {
  const lines = readFileSync(map, 'utf8')
    .split('\n')
    .filter((l) => l !== '' && !l.startsWith('#'))
    .slice(1);
  return lines.flatMap((line) => {
    const [from = 0, size = 0] = line.split(/\s+/).map(Number);
    return line.endsWith('+') ? [] : Array.from({ length: size / SECTOR }, (_, i) => from / SECTOR + i);
  });
}
const range = (from: number, count: number) => Array.from({ length: count }, (_, i) => from + i);

test('a worn disc becomes an image with its gaps named, is joined with another copy, and is read from then on without either', async () => {
  await insert('first');
  const { id } = await take('Quay');
  expect(await refusal(take('Something else'))).toBe('drive-busy');
  expect(await refusal(engine.call('eject', { id: 'tray' }))).toBe('bad-request');
  // Nothing that looks finished, as long as it is not.
  expect(existsSync(inLibrary('Quay.iso'))).toBe(false);
  const first = await ended(id);
  expect(first).toMatchObject({ state: 'with gaps', lostBytes: 25 * SECTOR, problem: null, copies: 1 });
  expect(await refusal(take('QUAY'))).toBe('name-taken');
  expect(differing(inLibrary('Quay.iso'))).toEqual(range(there, 25));
  expect(unread(inLibrary('Quay.iso.map'))).toEqual(range(there, 25));
  expect(readFileSync(inLibrary('Quay.iso')).toString('latin1', there * SECTOR, there * SECTOR + 8)).toBe('NOT READ');
  const detail = await engine.call('image', { id });
  const digest = () => digestLike(detail.record.digest ?? '', readFileSync(inLibrary('Quay.iso')));
  expect(detail.record.digest).toBe(digest());
  expect(detail.gaps).toEqual([[there * SECTOR, 25 * SECTOR]]);
  expect(detail.cells.filter((c) => c === 'unreadable').length).toBeGreaterThan(0);

  // It is a disc now: read by itself, with its damage where it is.
  const source: SourceRef = { kind: 'place', root: 'images-of-library', path: 'Quay.iso' };
  const task = await engine.until(
    async () => (await engine.call('state')).readings.find((t) => t.name === 'Quay.iso' && t.state === 'done') ?? null,
  );
  const { reading } = await engine.call('reading', { id: task.id });
  expect(reading?.damage).toEqual([expect.objectContaining({ cause: 'unreadable' })]);
  const [stretch] = reading?.damage ?? [];
  expect((stretch?.lastSector ?? 0) - (stretch?.firstSector ?? 0) + 1).toBe(25);
  const hurt = reading?.titles.filter((t) => t.state === 'damaged' || t.state === 'cut short') ?? [];
  expect(hurt.length).toBeGreaterThan(0);

  // Another pressing is not mixed in.
  await engine.call('eject', { id: 'tray' });
  await insert('other');
  await engine.call('goOnImage', { id, body: { source: tray, retries: 0 } });
  expect((await ended(id)).problem?.code).toBe('other-disc');
  expect(differing(inLibrary('Quay.iso'))).toEqual(range(there, 25));

  // A copy that has part of what is missing, and then one that has the rest.
  await engine.call('eject', { id: 'tray' });
  await insert('third');
  await engine.call('goOnImage', { id, body: { source: tray, retries: 0 } });
  expect(await ended(id)).toMatchObject({ state: 'with gaps', lostBytes: 5 * SECTOR, copies: 2 });
  expect(unread(inLibrary('Quay.iso.map'))).toEqual(range(there + 20, 5));
  await engine.call('eject', { id: 'tray' });
  await insert('second');
  await engine.call('goOnImage', { id, body: { source: tray, retries: 0 } });
  expect(await ended(id)).toMatchObject({ state: 'whole', lostBytes: 0, copies: 3 });
  expect(readFileSync(inLibrary('Quay.iso')).equals(original)).toBe(true);
  const { record } = await engine.call('image', { id });
  expect(record.digest).toBe(digestLike(record.digest ?? '', original));
  expect(record.sources.filter((s) => s.bytes > 0).map((s) => s.joined)).toEqual([
    [],
    [[there * SECTOR, (there + 20) * SECTOR]],
    [[(there + 20) * SECTOR, (there + 25) * SECTOR]],
  ]);

  // A film out of it, with no disc in any drive: the same as out of the disc.
  await engine.call('eject', { id: 'tray' });
  const whole = await engine.call('startReading', { body: { source, thorough: true } });
  await engine.until(async () => ((await engine.call('reading', { id: whole.id })).task.state === 'done' ? true : null));
  const again = (await engine.call('reading', { id: whole.id })).reading;
  expect(again?.damage).toEqual([]);
  const { jobId } = await engine.submit(source, (r) => wholeTitleReel(titleOf(r, 2), 'Out of the image'));
  expect((await engine.jobUntil(jobId, isOver)).state).toBe('done');
  expect(engine.unfinished()).toEqual(expect.not.arrayContaining(['images/Quay']));
});

test('killed in the middle, with its helper, it goes on from what was flushed; a disc that is pulled out takes nothing with it', async () => {
  await insert('slow');
  const { id } = await take('Slow');
  await engine.until(async () => ((await image(id)).readBytes > 3e6 ? true : null));
  await engine.stop('SIGKILL');
  await engine.start();
  const stopped = await image(id);
  expect(stopped.state).toBe('stopped');
  expect(stopped.readBytes).toBeGreaterThan(1e6);
  await engine.call('goOnImage', { id, body: { source: tray, retries: 0 } });
  await engine.until(async () => ((await image(id)).progress ? true : null));
  // The disc is torn out of the drive.
  const disc = path.join(engine.folder, 'slow.json');
  renameSync(disc, `${disc}.away`);
  const pulled = await ended(id);
  expect(pulled).toMatchObject({ state: 'stopped', lostBytes: 0, problem: { code: 'source-gone' } });
  renameSync(`${disc}.away`, disc);
  expect(existsSync(inLibrary('Slow.iso'))).toBe(false);
  await engine.call('goOnImage', { id, body: { source: tray, retries: 0 } });
  await engine.call('stopImage', { id });
  expect(await image(id)).toMatchObject({ state: 'stopped', problem: null });
  await engine.call('discardImage', { id });
  expect((await engine.call('state')).images.some((i) => i.id === id)).toBe(false);
  expect(existsSync(path.join(engine.library, '.careful-vault', 'images', 'Slow'))).toBe(false);
});

test('an image and a map that another tool has begun are gone on with; a map that is none is named', async () => {
  const folder = path.join(engine.library, 'Disc images');
  mkdirSync(folder, { recursive: true });
  const half = Math.floor(sectors / 2) * SECTOR;
  const file = path.join(folder, 'Begun elsewhere.iso');
  writeFileSync(file, Buffer.concat([original.subarray(0, half), Buffer.alloc(original.byteLength - half)]));
  writeFileSync(`${file}.map`, `# Mapfile\n0x0 ? 1\n0 ${half} +\n${half} ${original.byteLength - half} ?\n`);
  const begun = await engine.until(async () => (await engine.call('state')).images.find((i) => i.name === 'Begun elsewhere') ?? null);
  expect(begun).toMatchObject({ state: 'with gaps', readBytes: half });
  await insert('second');
  await engine.call('goOnImage', { id: begun.id, body: { source: tray, retries: 0 } });
  expect(await ended(begun.id)).toMatchObject({ state: 'with gaps', lostBytes: 10 * SECTOR });
  expect(differing(file)).toEqual(range(elsewhere, 10));

  writeFileSync(`${file}.map`, 'not a map at all\n');
  const source: SourceRef = { kind: 'place', root: 'images-of-library', path: 'Begun elsewhere.iso' };
  const { id } = await engine.call('startReading', { body: { source } });
  const task = await engine.until(async () => {
    const now = (await engine.call('reading', { id })).task;
    return now.state === 'failed' ? now : null;
  });
  expect(task.problem?.code).toBe('bad-map');
});

test('a job of a disc whose image is being taken waits for that, and then goes on by itself', async () => {
  await engine.call('eject', { id: 'tray' });
  await insert('slow');
  const { reading } = await engine.read(tray);
  if (!reading) throw new Error('nothing was read');
  const { id } = await take('Taken first');
  await engine.until(async () => ((await image(id)).progress ? true : null));
  const reel = wholeTitleReel(titleOf(reading, 2), 'Waits for the image');
  const body = { source: tray, fingerprint: reading.fingerprint, reading, reel, storage: 'library', folder: '', copies: [], places: [] };
  const { jobId } = await engine.call('submitJob', { body });
  // Long enough for the queue to have looked several times.
  await new Promise((resolve) => setTimeout(resolve, 1500));
  expect((await image(id)).state).toBe('taking');
  expect((await engine.job(jobId)).state).toBe('waiting');
  expect(await ended(id)).toMatchObject({ state: 'whole' });
  expect((await engine.jobUntil(jobId, isOver)).state).toBe('done');
});
