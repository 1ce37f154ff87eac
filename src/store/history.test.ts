import type { VaultEntry } from '@/contract';
import { secondsFor, sizeFactors } from './history';

test('the time of a batch is known once the pace of all its work is', () => {
  const engine = {
    queue: { held: true, encodeLanes: 1, background: false, after: { do: 'nothing' as const } },
    usualEncodeLanes: 1,
    pace: [
      { work: 'master files', rate: 200 },
      { work: 'master proof', rate: 600 },
      { work: 'access access', rate: 500 },
      { work: 'access proof access', rate: 2000 },
      { work: 'placing', rate: 1 },
    ],
  };
  const reels = [
    { recipes: ['master'], masterBytes: 3000, durationMs: 1, pixels: 1 },
    { recipes: ['master', 'access'], masterBytes: 1200, durationMs: 2000, pixels: 500_000 },
  ];
  // Read one after the other, 15 and 6, and proven, 2; then a second of two and a half million pixels, its proof, and its name.
  expect(secondsFor(reels, 'files', engine)).toBe(15 + 6 + 2 + 2 + 0.5 + 1);
  expect(secondsFor(reels, 'drive a', engine)).toBeNull();
  expect(secondsFor([], 'files', engine)).toBe(0);
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
