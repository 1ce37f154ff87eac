import { sketchReading } from '@/test-support/readings';
import { pieceChapters, pieceMs, pieceSpan, plannedChapters, reelMs, type Piece } from '.';

const { titles } = sketchReading([{ parts: ['a:1', 'b:2', 'c:3'] }, { parts: ['d:4'] }]);
const [first] = titles;
if (!first) throw new Error('no title');
const piece = (change: Partial<Piece>): Piece => ({ title: 1, angle: 1, fromChapter: 1, toChapter: 3, ...change });

test.each([
  [piece({}), 0, 360_000, [1, 2, 3]],
  [piece({ fromChapter: 2, toChapter: 2 }), 60_000, 180_000, [2]],
  [piece({ range: { fromMs: 30_000, toMs: 61_000 } }), 30_000, 61_000, [1, 2]],
  [piece({ range: { fromMs: 60_000, toMs: 180_000 } }), 60_000, 180_000, [2]],
  [piece({ range: { fromMs: -5, toMs: 1e9 } }), 0, 360_000, [1, 2, 3]],
])('%j spans its time and touches its chapters', (given, fromMs, toMs, chapters) => {
  expect(pieceSpan(first, given)).toEqual({ fromMs, toMs });
  expect(pieceMs(first, given)).toBe(toMs - fromMs);
  expect(pieceChapters(first, given).map((c) => c.number)).toEqual(chapters);
});

test('chapters of several pieces stand one after the other in the output', () => {
  const pieces = [piece({ range: { fromMs: 30_000, toMs: 90_000 } }), piece({ title: 2, toChapter: 1 }), piece({ fromChapter: 3 })];
  expect(plannedChapters(titles, pieces).map((c) => c.startMs)).toEqual([0, 30_000, 60_000, 300_000]);
  expect(reelMs(titles, pieces)).toBe(60_000 + 240_000 + 180_000);
  expect(plannedChapters(titles, [piece({ title: 9 })])).toEqual([]);
});
