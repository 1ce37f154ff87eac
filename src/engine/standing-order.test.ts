import { appendFileSync, copyFileSync, readFileSync, readdirSync, rmSync, utimesSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { DEFAULT_RULES } from '@/core/reels';
import { isOver, type DriveState, type SourceRef, type StandingOutcome, type StandingSettings } from '@/contract';
import { LOCKS, QUAY } from '@/test-support/discs';
import { Refused, TestEngine } from '@/test-support/engine';

/** Discs are put in and taken out, and nobody looks: what must have become of them is known from how the discs were authored. */

const settings = (change: Partial<StandingSettings> = {}): StandingSettings => ({
  rules: { ...DEFAULT_RULES, recipes: ['master'] },
  recipes: [],
  leastSure: 0.5,
  eject: true,
  roots: [],
  series: null,
  ...change,
});

let engine: TestEngine;
beforeAll(async () => {
  engine = new TestEngine([
    { id: 'quay', image: QUAY, bytesPerSecond: 6e6 },
    { id: 'locks', image: LOCKS },
    // Its tables can not be read.
    { id: 'ruined', image: QUAY, retryMs: 1, scratches: [{ sector: 0, sectors: 900 }] },
  ]);
  await engine.start();
});
afterAll(() => engine.stop());

const order = (wished: StandingSettings | null) => engine.call('setStanding', { body: { settings: wished } });
const insert = (disc: string) => engine.call('insert', { id: 'tray', body: { disc } });
const drive = async (): Promise<DriveState> => (await engine.call('state')).drives.find((d) => d.id === 'tray') as DriveState;
const outcome = (seq: number): Promise<StandingOutcome> =>
  engine.until(async () => (await engine.call('standingOutcomes', { query: `?after=${seq - 1}` })).outcomes[0] ?? null);
const ejected = () => engine.until(async () => ((await drive()).disc === null ? true : null));
const jobsOver = (of: StandingOutcome) =>
  Promise.all(of.reels.flatMap((r) => (r.jobId === null ? [] : [engine.jobUntil(r.jobId, isOver)])));
const inLibrary = () =>
  readdirSync(engine.library, { recursive: true })
    .map(String)
    .filter((n) => n.endsWith('.mkv'))
    .sort();

test('a disc that is put in is read, queued and given back as soon as it is read; nobody asks, nobody looks, and a death does not matter', async () => {
  await order(settings());
  await insert('quay');
  const first = await outcome(1);
  expect(first).toMatchObject({ result: 'queued', reason: null, source: { kind: 'drive', drive: 'tray' } });
  expect(first.reels.length).toBeGreaterThan(0);
  expect(first.reels.every((r) => r.jobId !== null)).toBe(true);
  // The engine dies while the disc is read into its masters; the order stands, and the tray opens when they are done.
  await engine.stop('SIGKILL');
  await engine.start();
  expect((await engine.call('state')).standing).toMatchObject({ seq: 1, queued: 1, eyes: 0, settings: { eject: true } });
  expect((await drive()).disc).toBe('quay');
  await ejected();
  expect((await jobsOver(first)).map((j) => j.state)).toEqual(first.reels.map(() => 'done'));
  expect(inLibrary().length).toBe(first.reels.length);
  // For the page that is opened next.
  const kept = await engine.call('standingReading', { id: first.fingerprint ?? '' });
  expect(kept.reading.fingerprint).toBe(first.fingerprint);
  expect(kept.findings.mainTitle).toBe(first.reels[0]?.reel.pieces[0]?.title);
});

test('the same disc once more is known; one that can not be read wants eyes; both are given back', async () => {
  const before = inLibrary();
  await insert('quay');
  expect(await outcome(2)).toMatchObject({ result: 'known', reels: [] });
  await ejected();
  await insert('ruined');
  expect(await outcome(3)).toMatchObject({ result: 'wants eyes', reason: 'unreadable', fingerprint: null });
  await ejected();
  expect(inLibrary()).toEqual(before);
});

test('episodes are numbered on from disc to disc, and no number is used up by what was not queued', async () => {
  const series = { series: 'The Locks', season: 2, nextEpisode: 5 };
  await order(settings({ leastSure: 1, series }));
  await insert('locks');
  const unsure = await outcome(4);
  expect(unsure).toMatchObject({ result: 'wants eyes', reason: 'unsure', firstEpisode: 5 });
  // What it would have been is there for whoever looks at it.
  expect(unsure.reels.map((r) => r.jobId)).toEqual(unsure.reels.map(() => null));
  await ejected();
  expect((await engine.call('state')).standing.settings?.series?.nextEpisode).toBe(5);
  await order(settings({ series }));
  await insert('locks');
  const taken = await outcome(5);
  expect(taken).toMatchObject({ result: 'queued', tags: { series: 'The Locks', season: 2 } });
  // Three works were authored onto the disc.
  expect(taken.reels.map((r) => r.reel.tags?.episode).filter((n) => n != null)).toEqual([5, 6, 7]);
  expect((await engine.call('state')).standing.settings?.series?.nextEpisode).toBe(8);
  await ejected();
  await jobsOver(taken);
  // As an engine leaves it that ends when two of three are queued and nothing of that is written down: the next one goes on with it.
  await engine.stop('SIGKILL');
  const at = (name: string) => path.join(engine.folder, name);
  const log = readFileSync(at('standing-outcomes.ndjson'), 'utf8').trimEnd().split('\n');
  writeFileSync(at('standing-outcomes.ndjson'), `${log.slice(0, -1).join('\n')}\n`);
  const kept = JSON.parse(readFileSync(at('standing-order.json'), 'utf8')) as { taking: unknown };
  writeFileSync(at('standing-order.json'), JSON.stringify({ ...kept, taking: { fingerprint: taken.fingerprint, firstEpisode: 5 } }));
  const [, , third] = taken.reels;
  rmSync(at(path.join('jobs', third?.jobId ?? '')), { recursive: true });
  for (const name of inLibrary().filter((n) => n.includes('7')))
    for (const end of ['', '.json']) rmSync(path.join(engine.library, name + end));
  writeFileSync(at('trays.json'), JSON.stringify({ tray: 'locks' }));
  await engine.start();
  const again = await outcome(5);
  expect(again).toMatchObject({ result: 'queued', firstEpisode: 5 });
  expect(again.reels.slice(0, 2)).toEqual(taken.reels.slice(0, 2));
  expect(again.reels[2]?.reel).toEqual(third?.reel);
  expect(again.reels[2]?.jobId).not.toBe(third?.jobId);
  await ejected();
  expect((await jobsOver(again)).map((j) => j.state)).toEqual(['done', 'done', 'done']);
  expect((await engine.call('state')).standing.settings?.series?.nextEpisode).toBe(8);
});

test('an image that comes into a watched folder is taken; one that was there before, or is for another folder, is not', async () => {
  const lay = (name: string) => {
    const file = path.join(engine.sounds, name);
    copyFileSync(LOCKS, file);
    utimesSync(file, new Date(0), new Date(0));
  };
  lay('Before.iso');
  await engine.until(async () => ((await engine.call('state')).roots.find((r) => r.id === 'sounds')?.found.length === 1 ? true : null));
  await order(null);
  await order(settings({ roots: ['sounds'] }));
  lay('After.iso');
  const came = await outcome(6);
  const ref: SourceRef = { kind: 'place', root: 'sounds', path: 'After.iso' };
  expect(came).toMatchObject({ source: ref, result: 'known' });
  expect((await engine.call('standingOutcomes', { query: '?after=6' })).outcomes).toEqual([]);
  // The order has ended: what comes now is read when somebody asks for it.
  await order(null);
  await insert('quay');
  expect((await drive()).disc).toBe('quay');
  expect((await engine.call('state')).standing).toMatchObject({ settings: null, seq: 6 });
});

test('outcomes are kept line by line; a torn one is passed over', async () => {
  const log = path.join(engine.folder, 'standing-outcomes.ndjson');
  const lines = readFileSync(log, 'utf8').trim().split('\n');
  expect(lines.map((l) => (JSON.parse(l) as StandingOutcome).seq)).toEqual([1, 2, 3, 4, 5, 6]);
  await expect(engine.call('standingReading', { id: '0'.repeat(64) })).rejects.toBeInstanceOf(Refused);
  await engine.stop('SIGKILL');
  appendFileSync(log, '{"seq":7,"at":"20');
  await engine.start();
  await engine.call('eject', { id: 'tray' });
  await order(settings());
  await insert('locks');
  expect(await outcome(7)).toMatchObject({ seq: 8, result: 'known' });
  expect((await engine.call('standingOutcomes', { query: '?after=6' })).outcomes.map((o) => o.seq)).toEqual([8]);
});
