import { mkdirSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import type { EngineEvent, Job, JobEvent } from '@/contract';
import { wholeTitleReel } from '@/core/reels';
import { JobFolder } from '@/node/job-folder';
import { identify, type ProcessId } from '@/node/process-id';
import { markStorage } from '@/node/storage-mark';
import { temporaryFolder } from '@/test-support/discs';
import { sketchReading } from '@/test-support/readings';
import { Jobs } from './jobs';
import { Lanes, phaseOf, type Order } from './lanes';
import { PaceBook } from './pace-book';
import type { Runners } from './runners';

/** Which work is done beside which, and how long each takes. */

const order = (recipes: Job['reel']['recipes'], drive: string | null): Order => ({
  recipes,
  source: drive === null ? { kind: 'image', path: '/x', label: 'x' } : { kind: 'drive', path: '/x', label: 'x', drive },
});

test('what a job needs next', () => {
  const [master, copy] = [order(['master'], 'one'), order(['access'], 'one')];
  expect(phaseOf(master, false, null)).toBe('reading');
  expect(phaseOf(master, false, 'master')).toBe('reading');
  expect(phaseOf(master, false, 'master proof')).toBe('proving');
  expect(phaseOf(master, false, 'placing')).toBe('proving');
  expect(phaseOf(copy, false, 'master proof')).toBe('proving');
  expect(phaseOf(copy, true, 'access')).toBe('encoding');
});

test('one reading per drive and one for images, two proofs beside them, encoders in their turn', () => {
  const both = order(['master', 'access'], 'one');
  const lanes = new Lanes(1);
  expect(lanes.take(order(['master'], 'one'), 'reading')).toBe(true);
  expect(lanes.take(both, 'reading')).toBe(false);
  expect(lanes.take(both, 'proving')).toBe(true);
  expect(lanes.take(order(['master'], 'two'), 'reading')).toBe(true);
  expect(lanes.take(both, 'proving')).toBe(true);
  expect(lanes.take(both, 'proving')).toBe(false);
  // What is proven already is more than is let lie.
  expect(lanes.take(order(['master'], null), 'reading')).toBe(false);
  expect(lanes.take(both, 'encoding')).toBe(true);
  expect(lanes.take(both, 'encoding')).toBe(false);
});

/** A queue whose runners say what a test lets them say. */
async function queue() {
  const dataFolder = temporaryFolder();
  const library = temporaryFolder();
  const { id: mark } = await markStorage(library);
  mkdirSync(path.join(dataFolder, 'jobs'));
  const ends = new Map<string, () => void>();
  const runners: Runners = {
    launch(folder, _, ended): ProcessId | null {
      ends.set(path.basename(folder), ended);
      const self = identify(process.pid);
      writeFileSync(path.join(folder, 'runner.json'), JSON.stringify(self));
      new JobFolder(folder).emit({ type: 'started', pid: 1 });
      return self;
    },
    isAtWork: (_, folder) => ends.has(path.basename(folder)),
    pause: () => undefined,
    goOn: () => undefined,
    stop: () => undefined,
  };
  const seen: EngineEvent[] = [];
  const hub = { send: (event: EngineEvent) => seen.push(event) };
  const pace = new PaceBook(dataFolder, hub);
  const jobs = new Jobs({
    config: { dataFolder, storages: [{ id: 's', name: 'S', path: library, taken: true }] },
    runners,
    drives: { use: () => ({ spunUp: true, done: () => undefined }), isUsed: () => false, lacks: () => false, content: () => '' },
    storages: {
      known: (id) => Promise.resolve({ id, name: 'S', path: library, taken: true, mark }),
      isAway: () => false,
      hasRoom: () => true,
    },
    hub,
    pace,
    finished: () => undefined,
  });
  const reading = sketchReading([{ parts: ['a:10'] }]);
  const [title] = reading.titles;
  if (!title) throw new Error('no title');
  const submit = async (name: string) => {
    const reel = { ...wholeTitleReel(title, name), recipes: ['master'] };
    const wish = { reading, reel, copies: [], storage: 's', folder: '', places: [] };
    return (await jobs.submit(wish, { kind: 'image', path: '/x', label: 'x' })).jobId;
  };
  const at = Date.UTC(2026, 0, 1);
  /** As its runner would write it, so many seconds after the first. */
  const says = (id: string, seconds: number, event: Record<string, unknown>) => {
    const whole = { seq: 0, at: new Date(at + seconds * 1000).toISOString(), ...event } as JobEvent;
    writeFileSync(path.join(dataFolder, 'jobs', id, 'events.ndjson'), `${JSON.stringify(whole)}\n`, { flag: 'a' });
  };
  const end = (id: string) => {
    const ended = ends.get(id);
    ends.delete(id);
    ended?.();
  };
  return { jobs, submit, says, end, dataFolder, begun: () => [...ends.keys()], pace, seen, hub };
}

test('the next disc is read while what was read is proven; no more than two proofs are left behind', async () => {
  const { jobs, submit, says, begun, end } = await queue();
  const ids: string[] = [];
  for (const name of ['One', 'Two', 'Three', 'Four']) ids.push(await submit(name));
  const [one = '', two = '', three = '', four = ''] = ids;
  await jobs.look();
  expect(begun()).toEqual([one]);
  says(one, 0, { type: 'stage', stage: 'master' });
  await jobs.look();
  expect(begun()).toEqual([one]);
  says(one, 10, { type: 'stage', stage: 'master proof' });
  await jobs.look();
  expect(begun()).toEqual([one, two]);
  says(two, 20, { type: 'stage', stage: 'master proof' });
  await jobs.look();
  expect(begun()).toEqual([one, two]);
  says(one, 21, { type: 'finished', files: [] });
  end(one);
  await jobs.look();
  expect(begun()).toEqual([two, three]);
  says(three, 30, { type: 'stage', stage: 'master' });
  await jobs.look();
  expect(begun()).not.toContain(four);
});

test('how long work takes is learned from stages that went through without a stop, and outlasts engine and queue', async () => {
  const { jobs, submit, says, end, dataFolder, pace, seen, hub } = await queue();
  const one = await submit('One');
  await jobs.look();
  const amount = jobs.states()[0]?.expects.masterBytes ?? 0;
  expect(amount).toBeGreaterThan(1);
  says(one, 0, { type: 'stage', stage: 'master' });
  says(one, 3, { type: 'progress', stage: 'master', done: 1, total: 2, unit: 'bytes' });
  says(one, 10, { type: 'stage', stage: 'master proof' });
  says(one, 12, { type: 'paused' });
  says(one, 500, { type: 'resumed' });
  says(one, 501, { type: 'stage', stage: 'placing' });
  says(one, 503, { type: 'finished', files: [] });
  end(one);
  await jobs.look();
  // The proof stood still: it says nothing.
  const known = [
    { work: 'master files', rate: amount / 10 },
    { work: 'placing', rate: 0.5 },
  ];
  expect(pace.current).toEqual(known);
  expect(seen.filter((e) => e.type === 'pace')).toEqual([{ type: 'pace', pace: known }]);
  await jobs.forget(one);
  expect(new PaceBook(dataFolder, hub).current).toEqual(known);
  // A job that was over before is not learned from again.
  const two = await submit('Two');
  await jobs.look();
  says(two, 0, { type: 'stage', stage: 'master' });
  says(two, 30, { type: 'failed', problem: { code: 'read-failed', message: 'm', whatToDo: 'w', where: null } });
  end(two);
  await jobs.look();
  expect(pace.current).toEqual(known);
});

test('a runner that is heard to end only after its job was cancelled and tried again has said its word', async () => {
  const { jobs, submit, says, end, begun } = await queue();
  const one = await submit('One');
  for (let i = 0; i < 5; i++) {
    await jobs.look();
    expect(begun()).toEqual([one]);
    says(one, 10 * i, { type: 'stage', stage: 'master' });
    says(one, 10 * i + 1, { type: 'cancelled' });
    await jobs.look();
    await jobs.retry(one);
    end(one);
    await new Promise((resolve) => setTimeout(resolve, 20));
  }
  await jobs.look();
  expect(jobs.states()).toMatchObject([{ state: 'running', problem: null }]);
});

test('a job that waits is changed although its runner has not quite gone, and is not begun as it was before', async () => {
  const { jobs, submit, says, end, begun } = await queue();
  const one = await submit('One');
  await jobs.look();
  const change = () => jobs.change(one, { storage: 's', folder: '', fileName: 'Other', recipes: ['master'], copies: [] });
  await expect(change()).rejects.toThrow('at work');
  says(one, 1, { type: 'stage', stage: 'master' });
  says(one, 2, { type: 'held', problem: { code: 'storage-full', message: 'full', whatToDo: 'wait', where: null } });
  await jobs.look();
  expect(jobs.states()).toMatchObject([{ state: 'waiting', fileName: 'One' }]);
  const changed = change();
  await expect(change()).rejects.toThrow('being changed already');
  await new Promise((resolve) => setTimeout(resolve, 120));
  expect(jobs.states()).toMatchObject([{ state: 'waiting', fileName: 'One' }]);
  end(one);
  await jobs.look();
  expect(begun()).toEqual([]);
  await changed;
  expect(jobs.states()).toMatchObject([{ fileName: 'Other', problem: null }]);
  await jobs.look();
  expect(begun()).toEqual([one]);
});
