import { videoTrack } from '@/test-support/readings';
import { judgeScan, measuredPicture, type PictureCounts } from './measure';

const counts = (change: Partial<PictureCounts>): PictureCounts => ({
  frames: 100,
  combed: 0,
  combedAlone: 100,
  whole: 100,
  fieldRepeats: 0,
  flaggedRepeats: 0,
  ...change,
});

test.each([
  ['progressive', {}],
  ['progressive', { combed: 5, whole: 95 }],
  ['interlaced', { combed: 80, whole: 20 }],
  ['mixed', { combed: 30, whole: 70 }],
  ['film with pulldown', { combed: 40, whole: 60, fieldRepeats: 40 }],
  ['film with pulldown', { combed: 100, whole: 0, fieldRepeats: 40 }],
  ['film with pulldown', { flaggedRepeats: 50 }],
  ['interlaced', { frames: 0, combed: 1, whole: 0 }],
  ['progressive', { frames: 0, combed: 0, whole: 0 }],
] as const)('judged as %s: %j', (scan, change) => {
  expect(judgeScan(counts(change))).toBe(scan);
});

test('a few noisy frames do not speak for all that tell nothing by themselves', () => {
  // What FFmpeg's detector says of a dark film that is whole: four frames seem combed, the other 571 are counted after them.
  const dark = measuredPicture(videoTrack(), counts({ frames: 575, combed: 575, whole: 0, combedAlone: 4 }), null);
  expect(dark).toMatchObject({ scan: 'progressive', combed: 4, whole: 571 });
  // A still programme of fields, which move in every tenth frame.
  const still = measuredPicture(videoTrack(), counts({ frames: 575, combed: 560, whole: 15, combedAlone: 57 }), null);
  expect(still).toMatchObject({ scan: 'interlaced', combed: 560, whole: 15 });
  expect(measuredPicture(videoTrack(), counts({ frames: 1, combed: 1, whole: 0, combedAlone: 1 }), null).scan).toBe('interlaced');
});

test('bars are what stays black on each side, and the true aspect is that of the rest', () => {
  const measured = measuredPicture(videoTrack(), counts({}), { x: 0, y: 72, width: 720, height: 432 });
  expect(measured.bars).toEqual({ top: 72, bottom: 72, left: 0, right: 0 });
  expect(measured.trueAspect).toBeCloseTo((16 / 9) * (576 / 432), 2);
  expect(measuredPicture(videoTrack(), counts({}), { x: 2, y: 1, width: 717, height: 575 }).bars).toEqual({
    top: 0,
    bottom: 0,
    left: 0,
    right: 0,
  });
  expect(measuredPicture(videoTrack(), counts({}), null).trueAspect).toBeCloseTo(16 / 9, 2);
});
