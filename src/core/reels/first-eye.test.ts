import { sketchReading, videoTrack } from '@/test-support/readings';
import type { Title } from '../reading';
import { coverageOf, firstIsRight, mergeReels, otherEyes, readingForReel, takenPieces, wholeTitleReel, type Reel } from '.';

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
