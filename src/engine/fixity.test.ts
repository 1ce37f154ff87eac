import { appendFileSync, readFileSync, renameSync, rmSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import type { EngineState, JobState, SourceRef } from '@/contract';
import { NO_FIXITY } from '@/contract';
import { wholeTitleReel } from '@/core/reels';
import { temporaryFolder, titleOf } from '@/test-support/discs';
import { TestEngine } from '@/test-support/engine';
import { Fixity } from './fixity';

/** Whether files are still what they were: found by what this test does to them, behind everybody's back. */

const image: SourceRef = { kind: 'place', root: 'images', path: 'QUAY.iso' };
const names = ['Kept', 'Flipped', 'Short', 'Gone', 'Edited', 'Beside'];
let engine: TestEngine;
const at = (name: string) => path.join(engine.library, name);

beforeAll(async () => {
  engine = new TestEngine();
  await engine.start();
  const over = (j: JobState) => ['done', 'failed'].includes(j.state);
  const ids: string[] = [];
  for (const name of names) {
    const wish = await engine.submit(image, (r) => ({
      ...wholeTitleReel(titleOf(r, 1), name),
      recipes: ['master'],
      subtitleFiles: name === 'Beside',
    }));
    ids.push(wish.jobId);
  }
  for (const id of ids) expect((await engine.jobUntil(id, over)).state).toBe('done');
});
afterAll(async () => {
  await engine.stop();
});

const fixity = async (): Promise<EngineState['fixity']> => (await engine.call('state')).fixity;
const checked = async () => {
  const before = (await fixity()).last?.at ?? '';
  await engine.call('beginCheck');
  return engine.until(async () => {
    const now = await fixity();
    return now.running === null && now.last && now.last.at !== before ? now.last : null;
  });
};
const results = (last: NonNullable<EngineState['fixity']['last']>) => Object.fromEntries(last.differing.map((c) => [c.path, c.result]));

test('what is the same is said to be, and only what is not is named, each by what became of it; the files themselves say so', async () => {
  expect(await checked()).toMatchObject({ checked: 6, same: 6, skipped: 0, differing: [] });
  const flipped = readFileSync(at('Flipped.mkv'));
  const middle = Math.floor(flipped.byteLength / 2);
  flipped[middle] = (flipped[middle] ?? 0) ^ 1;
  writeFileSync(at('Flipped.mkv'), flipped);
  writeFileSync(at('Short.mkv'), readFileSync(at('Short.mkv')).subarray(0, -1));
  rmSync(at('Gone.mkv'));
  writeFileSync(at('Edited.mkv.json'), readFileSync(at('Edited.mkv.json'), 'utf8').replace('"Edited"', '"edited"'));
  const [beside] = (JSON.parse(readFileSync(at('Beside.mkv.json'), 'utf8')) as { beside: { name: string }[] }).beside;
  if (beside) appendFileSync(at(beside.name), '\n');
  const last = await checked();
  expect(results(last)).toEqual({
    'Flipped.mkv': 'changed',
    'Short.mkv': 'changed',
    'Gone.mkv': 'missing',
    'Edited.mkv': 'sidecar changed',
    ...(beside ? { 'Beside.mkv': 'changed' } : {}),
  });
  expect([last.checked, last.same]).toEqual([6, 6 - last.differing.length]);
  // Its history goes with the library, and outlasts the engine and its data.
  const id = (await engine.outputs()).find((o) => o.path === 'Flipped.mkv')?.id ?? '';
  await engine.stop('SIGKILL');
  rmSync(path.join(engine.folder, 'fixity.json'));
  appendFileSync(path.join(engine.library, '.careful-vault', 'checks.ndjson'), '{"at":"torn');
  await engine.start();
  const { checks } = await engine.call('checks', { id });
  expect(checks.map((c) => [c.result, c.digest === checks.at(-1)?.digest])).toEqual([
    ['changed', false],
    ['same', true],
  ]);
});

test('a library that is away says nothing of its files: none is called missing, and nothing is written in its place', async () => {
  const lines = () => readFileSync(path.join(engine.library, '.careful-vault', 'checks.ndjson'), 'utf8').split('\n').length;
  const before = lines();
  const mark = path.join(engine.library, '.careful-vault', 'storage.json');
  renameSync(mark, `${mark}.away`);
  expect(await checked()).toMatchObject({ checked: 0, differing: [] });
  expect(lines()).toBe(before);
  renameSync(`${mark}.away`, mark);
  expect((await checked()).checked).toBe(6);
});

test('images of discs are checked as well, by the hash that their records have of when they were taken', async () => {
  const ids = new Map<string, string>();
  for (const name of ['Whole', 'Turned', 'Lost']) {
    const { id } = await engine.call('takeImage', { body: { source: image, storage: 'library', name, fill: 'zeroes', retries: 0 } });
    ids.set(name, id);
    await engine.until(async () => (await engine.call('state')).images.find((i) => i.id === id && i.state === 'whole') ?? null);
  }
  const inFolder = (name: string) => path.join('Disc images', `${name}.iso`);
  const before = await checked();
  expect(before.differing.filter((c) => c.of === 'image')).toEqual([]);
  const turned = readFileSync(at(inFolder('Turned')));
  turned[turned.byteLength - 1] = (turned[turned.byteLength - 1] ?? 0) ^ 128;
  writeFileSync(at(inFolder('Turned')), turned);
  rmSync(at(inFolder('Lost')));
  const after = await checked();
  expect(after.checked).toBe(before.checked);
  expect(after.differing.filter((c) => c.of === 'image').map((c) => [c.id, c.path, c.result])).toEqual([
    [ids.get('Lost'), inFolder('Lost'), 'missing'],
    [ids.get('Turned'), inFolder('Turned'), 'changed'],
  ]);
  expect((await engine.call('image', { id: ids.get('Turned') ?? '' })).checks.map((c) => c.result)).toEqual(['changed', 'same']);
});

test('by schedule it begins when it is time and nothing else is being done; it can be stopped, and what was checked stays so', async () => {
  let now = Date.parse('2026-11-01T00:00:00Z');
  let runs = 0;
  const around = {
    dataFolder: temporaryFolder(),
    images: { kept: () => Promise.resolve([]) },
    outputs: { all: () => Promise.resolve((runs++, [])), find: () => Promise.reject(new Error('none')) },
    helpers: { run: () => Promise.reject(new Error('none')) },
    storages: { known: () => Promise.reject(new Error('none')) },
    hub: { send: () => undefined },
    now: () => now,
  } as unknown as ConstructorParameters<typeof Fixity>[0];
  const fixed = new Fixity(around);
  expect(fixed.state).toEqual(NO_FIXITY);
  fixed.beginIfDue(true);
  expect(runs).toBe(0);
  fixed.schedule(30);
  fixed.beginIfDue(false);
  expect(runs).toBe(0);
  fixed.beginIfDue(true);
  await fixed.stop().catch(() => undefined);
  fixed.begin();
  await new Promise((resolve) => setTimeout(resolve, 20));
  const after = runs;
  now += 29 * 86_400_000;
  fixed.beginIfDue(true);
  expect(runs).toBe(after);
  now += 2 * 86_400_000;
  // Another start knows when the last was.
  const again = new Fixity(around);
  expect([again.state.everyDays, again.state.running]).toEqual([30, null]);
  again.beginIfDue(true);
  await new Promise((resolve) => setTimeout(resolve, 20));
  expect(runs).toBe(after + 1);
});
