import type { JobState, Output, VaultEntry } from '@/contract';
import { paceOf, secondsFor, sizeFactors } from './history';

const job = (id: string, recipes: JobState['recipes'], seconds: number, state: JobState['state'] = 'done') =>
  ({
    id,
    recipes,
    state,
    startedAt: '2026-01-01T00:00:00Z',
    endedAt: new Date(Date.UTC(2026, 0, 1) + seconds * 1000).toISOString(),
  }) as unknown as JobState;
const output = (jobId: string, sizeBytes: number, durationMs: number) =>
  ({ sizeBytes, sidecar: { jobId, promise: { durationMs } } }) as unknown as Output;

test('the pace is what ended jobs of one recipe have shown, long ones weighing more', () => {
  const jobs = [
    job('a', ['master'], 10),
    job('b', ['master'], 30),
    job('c', ['access'], 100),
    job('d', ['master', 'access'], 500),
    job('e', ['master'], 1, 'failed'),
  ];
  const outputs = [output('a', 1000, 0), output('b', 5000, 0), output('c', 9, 400_000), output('d', 1, 1), output('e', 1e9, 1)];
  expect(paceOf(jobs, outputs)).toEqual({
    masterBytesPerSecond: 150,
    copyMsPerSecond: new Map([
      ['master', 150],
      ['access', 4000],
    ]),
  });
  expect(paceOf([], outputs)).toEqual({ masterBytesPerSecond: null, copyMsPerSecond: new Map() });
});

test('the time of a batch is known once the pace of all its recipes is', () => {
  const reels = [
    { recipes: ['master'] as const, masterBytes: 3000, durationMs: 1 },
    { recipes: ['master', 'access'] as const, masterBytes: 1500, durationMs: 8000 },
  ];
  expect(secondsFor(reels, { masterBytesPerSecond: 150, copyMsPerSecond: new Map([['access', 4000]]) })).toBe(20 + 10 + 2);
  expect(secondsFor(reels, { masterBytesPerSecond: 150, copyMsPerSecond: new Map() })).toBeNull();
  expect(secondsFor([], { masterBytesPerSecond: null, copyMsPerSecond: new Map() })).toBe(0);
  // Two copies and no master: one is made all the same, since the disc is read once.
  const two = [{ recipes: ['access', 'lending'], masterBytes: 3000, durationMs: 8000 }];
  const pace = {
    masterBytesPerSecond: 150,
    copyMsPerSecond: new Map([
      ['access', 4000],
      ['lending', 2000],
    ]),
  };
  expect(secondsFor(two, pace)).toBe(20 + 2 + 4);
});

test('how copies came out is the median of the last ones; masters and wild ones do not count', () => {
  const copy = (recipe: string, estimatedBytes: number | null, sizeBytes: number) =>
    ({ sidecar: { recipe, outcome: estimatedBytes === null ? null : { estimatedBytes }, file: { sizeBytes } } }) as unknown as VaultEntry;
  const factors = sizeFactors([
    copy('access', 100, 50),
    copy('access', 100, 60),
    copy('access', 100, 900),
    copy('lending', 100, 100_000),
    copy('master', null, 5),
    copy('shelf-saver', 0, 5),
  ]);
  expect([...factors]).toEqual([
    ['access', 0.6],
    ['lending', 8],
  ]);
});
