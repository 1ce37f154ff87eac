import { sketchReading, videoTrack } from '@/test-support/readings';
import type { Title } from '../reading';
import { WIDTH_OF_DEPTH } from '../recipes';
import {
  MOST_DEPTH,
  coverageOf,
  depthInFront,
  firstIsRight,
  mergeReels,
  otherEyes,
  readingForReel,
  takenPieces,
  wholeTitleReel,
  type Reel,
} from '.';

/** Two titles of the same shape, a shorter one, and one of another size. */
const sketched = sketchReading([{ parts: ['a:60'] }, { parts: ['b:60'] }, { parts: ['c:50'] }, { parts: ['d:60'] }]);
const reading = {
  ...sketched,
  titles: sketched.titles.map((t, i) => (i === 3 ? { ...t, video: videoTrack({ heightPixels: 480 }) } : t)),
};
const [first, second] = reading.titles as [Title, Title, ...Title[]];
const reel: Reel = wholeTitleReel(first, 'pair');
const pair: Reel = { ...reel, otherEye: { title: 2, angle: 1, eye: 'right' } };

test('what may be the other eye’s is of the same size, rate and length; angles of one title are, too', () => {
  expect(otherEyes(reading, first, reel)).toEqual([
    { title: 2, angle: 1, eye: 'right' },
    { title: 2, angle: 1, eye: 'left' },
  ]);
  const angles = { titles: [{ ...first, angles: 3 }] };
  expect(otherEyes(angles, angles.titles[0] as Title, reel).map((o) => o.angle)).toEqual([2, 2, 3, 3]);
  expect(otherEyes(reading, { ...first, video: videoTrack({ secondView: { stream: 1, baseIsRight: false } }) }, reel)).toEqual([]);
  expect(otherEyes(reading, first, mergeReels(reel, wholeTitleReel(second, 'more')))).toEqual([]);
});

test('both titles travel with the job, and count as taken; merged with another, a reel is of one eye again', () => {
  expect(readingForReel(reading, pair).titles.map((t) => t.number)).toEqual([1, 2]);
  const planned = (of: Reel) => coverageOf(reading, [], takenPieces(of)).planned.bytes;
  expect(planned(pair)).toBe(2 * planned(reel));
  expect(mergeReels(pair, wholeTitleReel(second, 'more')).otherEye).toBeNull();
});

test('whose eye the first view is: as the disc says, unless somebody knows better', () => {
  const says = (baseIsRight: boolean) => ({ secondView: { stream: 1, baseIsRight } });
  expect([firstIsRight(says(true), {}), firstIsRight(says(false), {}), firstIsRight({ secondView: null }, {})]).toEqual([
    true,
    false,
    false,
  ]);
  expect([firstIsRight(says(true), { firstEye: 'left' }), firstIsRight(says(false), { firstEye: 'right' })]).toEqual([false, true]);
});

test('subtitles in front of all that was seen where they stand: before the nearest of it, whichever eye the first view is', () => {
  const told = { stream: 1, baseIsRight: false };
  const seen = (nearest: number, farthest: number) =>
    ({
      video: { ...first.video, secondView: told },
      measured: { picture: { eyes: { told: 0, swapped: 0, below: { nearest, farthest } } } },
    }) as unknown as Title;
  for (const nearest of [-0.01, -0.2, -1.25, -3, -6]) {
    const depth = depthInFront(seen(nearest, 2), {}) ?? 0;
    // Moved by so much in each eye, they are seen so far apart.
    if (depth < MOST_DEPTH) expect((-2 * depth * 100) / WIDTH_OF_DEPTH).toBeLessThan(nearest);
    expect(depthInFront(seen(-2, -nearest), { firstEye: 'right' })).toBe(depth);
  }
  expect(depthInFront(seen(-50, 0), {})).toBe(MOST_DEPTH);
  expect([depthInFront(seen(0, 2), {}), depthInFront(seen(0.5, 2), {}), depthInFront(first, {})]).toEqual([null, null, null]);
});
