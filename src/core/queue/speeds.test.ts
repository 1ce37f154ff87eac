import { speedsOf, type SpeedEvent } from './speeds';

const at = (seconds: number) => new Date(Date.UTC(2026, 0, 1) + seconds * 1000).toISOString();
const progress = (seconds: number, done: number, stage = 'master', unit: 'bytes' | 'ms' = 'bytes'): SpeedEvent => ({
  ...{ type: 'progress', at: at(seconds), stage, done, unit },
});
const event = (seconds: number, type: string, more: Partial<SpeedEvent> = {}): SpeedEvent => ({ type, at: at(seconds), ...more });

test('each stage has its own speeds, each copy too; nothing is said across a stop', () => {
  const speeds = speedsOf([
    event(0, 'started'),
    event(0, 'stage', { stage: 'master' }),
    ...[1, 2, 3].map((s) => progress(s, s * 100)),
    event(3, 'paused'),
    event(100, 'resumed'),
    progress(101, 310),
    progress(102, 360),
    event(102, 'stage', { stage: 'access', copy: 'a' }),
    ...[103, 104].map((s) => progress(s, (s - 102) * 2000, 'access', 'ms')),
    event(104, 'stage', { stage: 'access', copy: 'b' }),
    ...[105, 107].map((s) => progress(s, (s - 104) * 500, 'access', 'ms')),
    event(107, 'note'),
    progress(140, 2000, 'access', 'ms'), // silent for long
    progress(141, 100, 'access', 'ms'), // begun anew
    progress(142, 600, 'access', 'ms'),
  ]);
  expect(speeds).toEqual([
    {
      stage: 'master',
      copy: null,
      unit: 'bytes',
      points: [
        [2, 100],
        [3, 100],
        [101, null],
        [102, 50],
      ],
    },
    { stage: 'access', copy: 'a', unit: 'ms', points: [[104, 2000]] },
    {
      stage: 'access',
      copy: 'b',
      unit: 'ms',
      points: [
        [107, 500],
        [140, null],
        [141, null],
        [142, 500],
      ],
    },
  ]);
});

test('a long stage is summed up: as much is done in its points as in all of it', () => {
  const events = [event(0, 'started'), ...Array.from({ length: 20_000 }, (_, i) => progress(i / 4, i * i))];
  const [{ points } = { points: [] }] = speedsOf(events);
  expect(points.length).toBeGreaterThan(100);
  expect(points.length).toBeLessThanOrEqual(160);
  let [done, before] = [0, 0];
  for (const [seconds, rate] of points) {
    done += (rate ?? 0) * (seconds - before);
    before = seconds;
  }
  expect(done / (before * 4) ** 2).toBeCloseTo(1, 5);
  expect(speedsOf([])).toEqual([]);
  expect(speedsOf([progress(1, 5)])).toEqual([]);
});
