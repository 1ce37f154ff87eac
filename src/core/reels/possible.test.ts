import { findRoles } from '../findings';
import { randomDisc, randomPiece } from '@/test-support/random-discs';
import { seeded } from '@/test-support/random';
import { sketchReading } from '@/test-support/readings';
import {
  joinRefusal,
  mergeReels,
  momentOfReel,
  pieceSpan,
  possibleActions,
  reelMs,
  reelMsOf,
  wholeTitleReel,
  withTrack,
  type PlannedReel,
} from '.';

const reading = sketchReading([
  { parts: ['a:30', 'b:20', 'c:25'] },
  { parts: ['d:21'] },
  { parts: ['e:21'] },
  { parts: ['f'], state: 'scrambled' },
]);
const disc = { reading, findings: findRoles(reading) };
const planned = (title: number, jobId: string | null = null): PlannedReel => {
  const found = reading.titles.find((t) => t.number === title);
  if (!found) throw new Error('no such title');
  return { id: `reel ${title}`, reel: wholeTitleReel(found, `Title ${title}`), jobId };
};

describe('what can be done with a reel', () => {
  const reels = [planned(1), planned(2), planned(3)];
  const [one, two, three] = reels as [PlannedReel, PlannedReel, PlannedReel];
  test('one piece of one title is divided by its chapters, and at the moment looked at only where that is its own', () => {
    const can = possibleActions(disc, reels, one, new Set(), { title: 1, ms: 90_000 });
    expect(can).toMatchObject({ chapters: [2, 3], divisible: true, momentMs: 90_000, before: null, mergeProblem: null, angles: 1 });
    expect(possibleActions(disc, reels, one, new Set(), { title: 2, ms: 90_000 }).momentMs).toBeNull();
    const merged = { ...one, reel: mergeReels(one.reel, two.reel) };
    expect(possibleActions(disc, [merged, three], merged, new Set(), { title: 1, ms: 1 })).toMatchObject({
      chapters: [],
      divisible: false,
      momentMs: null,
    });
  });

  test('it is merged into the one before and with those chosen, as long as none of them is on the queue', () => {
    const can = possibleActions(disc, reels, two, new Set([three.id, two.id]), null);
    expect(can).toMatchObject({ before: one.id, others: [three.id], canMergeOthers: true, alike: [three.id] });
    const queued = { ...one, jobId: 'job' };
    const after = possibleActions(disc, [queued, two, three], two, new Set([queued.id]), null);
    expect(after).toMatchObject({ before: null, mergeProblem: 'This reel is on the queue already', others: [], canMergeOthers: false });
    const gone = possibleActions(disc, [one, { ...two, jobId: 'job' }], { ...two, jobId: 'job' }, new Set([one.id]), null);
    expect(gone).toMatchObject({ before: null, divisible: false, chapters: [], canMergeOthers: false });
  });

  test('why a title can not be joined is said', () => {
    expect(joinRefusal(reading, one, [2])).toBeNull();
    expect(joinRefusal(reading, one, [2, 4])).toBe('Title 4 can not be taken');
    expect(joinRefusal(reading, undefined, [4])).toBeNull();
    const wide = {
      ...reading,
      titles: reading.titles.map((t) => (t.number === 2 ? { ...t, video: { ...t.video, heightPixels: 480 } } : t)),
    };
    expect(joinRefusal(wide, one, [2])).toMatch(/pictures of different kind.*Make a reel of each\.$/);
  });
});

test('a track is taken and left; the first sound is the default, and the order is the disc’s own', () => {
  const many = sketchReading([{ parts: ['a'], audio: 3, subtitles: 2 }]);
  const [title] = many.titles;
  if (!title) throw new Error('no title');
  const reel = wholeTitleReel(title, 'x');
  const [first, second, third] = title.audio.map((t) => t.stream);
  const without = withTrack(reel, title, 'audio', first ?? 0, false);
  expect(without.audio.map((t) => [t.stream, t.isDefault])).toEqual([
    [second, true],
    [third, false],
  ]);
  expect(withTrack(without, title, 'audio', first ?? 0, true).audio.map((t) => t.stream)).toEqual([first, second, third]);
  expect(withTrack(reel, title, 'subtitles', title.subtitles[0]?.stream ?? 0, false).subtitles).toHaveLength(1);
});

test('every moment of a reel is one of a title that a piece takes, and the first piece that has it gives it back', () => {
  for (let seed = 1; seed <= 60; seed++) {
    const random = seeded(seed * 104_729);
    const made = randomDisc(random);
    const pieces = Array.from({ length: 1 + random.int(3) }, () => randomPiece(random.pick(made.titles), random));
    const length = reelMs(made.titles, pieces);
    for (let i = 0; i < 40; i++) {
      const ms = (random.int(10_000) / 10_000) * length;
      const moment = momentOfReel(made.titles, pieces, ms);
      const title = made.titles.find((t) => t.number === moment?.title);
      if (!moment || !title) throw new Error(`seed ${seed}: ${ms} of ${length} is nowhere`);
      expect(
        pieces.some((p) => p.title === title.number && moment.ms >= pieceSpan(title, p).fromMs && moment.ms < pieceSpan(title, p).toMs),
      ).toBe(true);
      const back = reelMsOf(made.titles, pieces, moment);
      // A title taken twice gives the same moment twice: the first is meant.
      expect(back).toBeLessThanOrEqual(ms + 1e-6);
      expect(momentOfReel(made.titles, pieces, back ?? -1)?.ms).toBeCloseTo(moment.ms, 3);
    }
    expect([momentOfReel(made.titles, pieces, length), momentOfReel(made.titles, pieces, -1)]).toEqual([null, null]);
  }
});
