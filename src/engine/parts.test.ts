import { appendFileSync, mkdirSync, symlinkSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import type { ServerResponse } from 'node:http';
import { isOver, WorkError, type Job, type JobEvent } from '@/contract';
import { temporaryFolder } from '@/test-support/discs';
import { sketchReading } from '@/test-support/readings';
import { wholeTitleReel } from '@/core/reels';
import { EventFollower } from './follower';
import { Hub } from './hub';
import { foldJob, newFolded } from './job-state';
import { identify, isAlive } from '@/node/process-id';
import { Players } from './players';
import { resolveInside } from './roots';

const folder = temporaryFolder();

describe('the state of a job', () => {
  const reading = sketchReading([{ parts: ['a:10'] }]);
  const [title] = reading.titles;
  if (!title) throw new Error('no title');
  const job: Job = {
    version: 1,
    id: 'job-12345678',
    createdAt: '2026-01-01T00:00:00.000Z',
    reel: wholeTitleReel(title, 'Film'),
    reading,
    folder: '',
    fileName: 'Film',
    soundFiles: [],
    places: [],
    hardware: [],
    copies: [],
    origin: null,
    source: { kind: 'image', path: '/x', label: 'x' },
    storage: { id: 's', name: 'S', path: '/s', mark: null },
  };
  const at = (second: number) => new Date(Date.UTC(2026, 0, 1, 0, 0, second)).toISOString();
  const replay = (events: readonly JobEvent[]) => events.reduce(foldJob, newFolded(job)).state;
  const progress = (seq: number, second: number, done: number): JobEvent => ({
    type: 'progress',
    seq,
    at: at(second),
    stage: 'master',
    done,
    total: 1000,
    unit: 'bytes',
  });

  test('follows from its events alone', () => {
    expect(replay([])).toMatchObject({ state: 'waiting', attempts: 0 });
    const running = replay([
      { type: 'started', seq: 1, at: at(0), pid: 1 },
      { type: 'stage', seq: 2, at: at(0), stage: 'master' },
      progress(3, 1, 100),
      progress(4, 2, 200),
    ]);
    expect(running).toMatchObject({ state: 'running', stage: 'master', done: 200, rate: 100, attempts: 1 });
    const failed = replay([
      { type: 'started', seq: 1, at: at(0), pid: 1 },
      { type: 'failed', seq: 2, at: at(1), problem: { code: 'read-failed', message: 'm', whatToDo: 'w', where: null } },
    ]);
    expect(failed).toMatchObject({ state: 'failed', problem: { code: 'read-failed' }, endedAt: at(1) });
    expect(isOver(failed)).toBe(true);
    expect(
      replay([
        { type: 'started', seq: 1, at: at(0), pid: 1 },
        { type: 'finished', seq: 2, at: at(9), files: ['a'] },
      ]),
    ).toMatchObject({ state: 'done', files: ['a'] });
  });

  test('the speed settles instead of jumping', () => {
    const steady = Array.from({ length: 30 }, (_, i) => progress(i, i, i * 10));
    const before = replay(steady).rate ?? 0;
    const after = replay([...steady, progress(30, 30, 290 + 100)]).rate ?? 0;
    expect(before).toBeCloseTo(10, 5);
    expect(after).toBeGreaterThan(10);
    expect(after).toBeLessThan(25);
  });
});

test('a growing file of events is followed line by line; a torn line is passed over', async () => {
  const file = path.join(folder, 'events.ndjson');
  const line = (seq: number) => JSON.stringify({ type: 'note', seq, at: 'now', text: 'ü'.repeat(20) });
  const follower = new EventFollower(file);
  expect(await follower.read()).toEqual([]);
  const bytes = Buffer.from(`${line(1)}\n${line(2)}\n`);
  // Cut in the middle of a letter of two bytes.
  const cut = bytes.indexOf(Buffer.from('ü')) + 1;
  writeFileSync(file, bytes.subarray(0, cut));
  expect(await follower.read()).toEqual([]);
  appendFileSync(file, bytes.subarray(cut));
  expect((await follower.read()).map((e) => e.seq)).toEqual([1, 2]);
  appendFileSync(file, `{"type":"note","se\n{"type":"unknown"}\n${line(3)}\n`);
  const [third, ...others] = await follower.read();
  expect(third).toMatchObject({ seq: 3, text: 'ü'.repeat(20) });
  expect(others).toEqual([]);
});

test('events are kept for pages that come back, up to a bound', () => {
  const hub = new Hub('boot');
  const heard: number[] = [];
  const end = hub.listen((id) => heard.push(id));
  for (let i = 0; i < 2500; i++) hub.send({ type: 'outputs', count: i });
  end();
  hub.send({ type: 'outputs', count: 0 });
  expect(heard).toHaveLength(2500);
  expect(hub.since(2499)?.map((k) => k.id)).toEqual([2500, 2501]);
  expect(hub.since(2501)).toEqual([]);
  expect(hub.since(1)).toBeNull();
  expect(hub.since(9999)).toBeNull();
  expect(hub.since(Number.NaN)).not.toContainEqual(expect.objectContaining({ id: 1 }));
});

test('a process is told from a later one with the same number', () => {
  const me = identify(process.pid);
  if (!me) throw new Error('this process must be there');
  expect(isAlive(me)).toBe(true);
  expect(isAlive({ ...me, startTime: '1' })).toBe(false);
  expect(identify(2 ** 22 + 5)).toBeNull();
});

test('a path ends inside its root, or is not known', async () => {
  const root = path.join(folder, 'root');
  mkdirSync(path.join(root, 'sub'), { recursive: true });
  mkdirSync(path.join(folder, 'root-neighbour'));
  writeFileSync(path.join(root, 'sub', 'file'), 'x');
  symlinkSync(folder, path.join(root, 'out'));
  symlinkSync(path.join(root, 'sub'), path.join(root, 'alias'));
  expect(await resolveInside(root, 'sub/file')).toBe(path.join(root, 'sub', 'file'));
  expect(await resolveInside(root, 'alias/file')).toBe(path.join(root, 'sub', 'file'));
  expect(await resolveInside(root, '')).toBe(root);
  for (const inside of ['..', '../root-neighbour', 'out', 'out/root/sub/file/../../..', '/etc', 'sub/nothing', 'a\0b']) {
    await expect(resolveInside(root, inside)).rejects.toMatchObject({ code: 'not-known' });
  }
});

test('players: those that play keep their places, one that is paused gives its own to who comes', async () => {
  const players = new Players(2, 30);
  const open = () => {
    const socket = { bytesWritten: 0 };
    const response = { socket, on: () => undefined, destroy: jest.fn() };
    const stop = jest.fn();
    return { socket, stop, response, leave: players.enter(response as unknown as ServerResponse, stop) };
  };
  const [paused, plays] = [open(), open()];
  expect(open).toThrow('2 previews are playing');
  await new Promise((resolve) => setTimeout(resolve, 40));
  plays.socket.bytesWritten += 1000;
  const next = open();
  expect(paused.stop).toHaveBeenCalledTimes(1);
  expect(paused.response.destroy).toHaveBeenCalledTimes(1);
  expect(plays.stop).not.toHaveBeenCalled();
  expect(open).toThrow(WorkError);
  paused.leave();
  plays.leave();
  next.leave();
  open().leave();
});
