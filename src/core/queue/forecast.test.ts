import { forecast, learn, paceOf, workOf, type QueuedJob, type WorkDone } from './forecast';

const job = (id: string, change: Partial<QueuedJob> = {}): QueuedJob => ({
  ...{ id, state: 'waiting', recipes: ['master'], stage: null, copy: null, done: 0, total: 0, rate: null, reads: 'files' },
  ...{ expects: { masterBytes: 1000, durationMs: 10_000, pixels: 1_000_000 }, rank: 0, paused: false, startAt: null },
  ...change,
});
const PACE = new Map([
  ['master files', 100],
  ['master drive a', 10],
  ['master proof', 500],
  ['access small', 1000],
  ['access proof small', 5000],
  ['placing', 1],
]);
/** 10 s of reading, 2 of proof; 10 of encoding, 2 of its proof; 1 for its place. */
const lanes = { encode: 1, held: false };
const seconds = (...jobs: QueuedJob[]) => forecast(jobs, PACE, lanes, 0).seconds;

test('one source is read by one job at a time, and copies are encoded meanwhile', () => {
  expect(seconds()).toBe(0);
  expect(seconds(job('a'))).toBe(13);
  // The proof of the first is made while the second is read.
  expect(seconds(job('a'), job('b'))).toBe(23);
  // Another lane.
  expect(seconds(job('a'), job('b', { reads: 'drive a' }))).toBe(103);
  const copy = (id: string) => job(id, { recipes: ['small'] });
  // Proven by 12 and 22; encoded from 12 to 25, and from 25 to 38.
  expect(forecast([copy('a'), copy('b')], PACE, lanes, 0).ends).toEqual(
    new Map([
      ['a', 25],
      ['b', 38],
    ]),
  );
  expect(forecast([copy('a'), copy('b')], PACE, { ...lanes, encode: 2 }, 0).seconds).toBe(35);
});

test('what runs is known by its own speed, the more surely the further it is', () => {
  const half = { state: 'running', stage: 'master', done: 500, total: 1000 } as const;
  expect(seconds(job('a', half))).toBe(5 + 2 + 1);
  // Half as fast as usual, of which half is believed.
  expect(seconds(job('a', { ...half, rate: 50 }))).toBe(7.5 + 2 + 1);
  expect(seconds(job('a', { ...half, done: 990, rate: 5 }))).toBeCloseTo(2 * 0.99 + 0.1 * 0.01 + 3);
  // Its master is proven; the second copy is at work.
  const late = { recipes: ['master', 'first', 'small'], state: 'running', stage: 'access', copy: 'small', done: 5, total: 10 } as const;
  expect(seconds(job('a', late))).toBe(5 + 2 + 1);
  expect(seconds(job('a', { ...late, state: 'interrupted' }))).toBe(10 + 2 + 1);
});

test('what stands still, is held or waits for its time does not run in the forecast before', () => {
  expect(seconds(job('a', { paused: true }))).toBe(0);
  expect(seconds(job('a', { state: 'failed' }), job('b', { state: 'done' }))).toBe(0);
  expect(seconds(job('a', { startAt: new Date(60_000).toISOString() }))).toBe(73);
  const running = job('b', { state: 'running', stage: 'master proof', done: 0, total: 0 });
  expect(forecast([job('a'), running], PACE, { ...lanes, held: true }, 0).seconds).toBe(3);
  // It reads already: the other is read after it, whatever their ranks.
  const reads = job('b', { state: 'running', stage: 'master', done: 500, total: 1000, rank: 9 });
  expect(forecast([job('a'), reads], PACE, lanes, 0).ends.get('a')).toBe(5 + 13);
});

test('what was never done here is not guessed', () => {
  const told = forecast([job('a', { recipes: ['new'] }), job('b')], PACE, lanes, 0);
  expect(told.seconds).toBeNull();
  expect(told.missing).toEqual(['access new', 'access proof new']);
  expect(told.ends.get('b')).toBe(13);
  // What is known of it counts all the same: a copy that goes on at its own speed, of a recipe whose proof nobody has seen yet.
  const running = job('c', {
    ...{ recipes: ['new'], state: 'running', stage: 'access', copy: 'new' },
    ...{ done: 2000, total: 10_000, rate: 200 },
  });
  const partly = forecast([running, job('b')], PACE, lanes, 0);
  expect(partly.missing).toEqual(['access proof new']);
  expect(partly).toMatchObject({ seconds: null, atLeast: 40 + 1 });
});

test('the pace is that of the last ones of a kind, newer ones weighing more; others do not push them out', () => {
  const done = (work: string, amount: number, took: number): WorkDone => ({ work, amount, seconds: took });
  expect([...paceOf([done('x', 100, 1)])]).toEqual([['x', 100]]);
  const changed = paceOf([done('x', 100, 1), done('x', 100, 2), done('y', 7, 1)]);
  expect(changed.get('x')).toBeGreaterThan(50);
  expect(changed.get('x')).toBeLessThan(200 / 3);
  let known: WorkDone[] = learn([], [done('rare', 1, 1), done('bad', 1, 0)]);
  for (let i = 0; i < 100; i++) known = learn(known, [done('often', i + 1, 1)]);
  expect(known.map((k) => k.work)).toEqual(['rare', ...Array.from({ length: 20 }, () => 'often')]);
  expect(known.at(-1)?.amount).toBe(100);
  expect(known[1]?.amount).toBe(81);
});

test('a drive is a kind of work by itself, and so is each recipe', () => {
  expect(workOf('master', null, 'drive a')).toBe('master drive a');
  expect(workOf('master proof', null, 'drive a')).toBe('master proof');
  expect(workOf('access', 'small', 'drive a')).toBe('access small');
});
