import { audioTrack, sketchReading, subtitleTrack } from '@/test-support/readings';
import type { AudioTrack, Reading, SubtitleTrack, Title } from '../reading';
import {
  absencesOf,
  divideAt,
  divideByAngles,
  divideByChapters,
  dividingChapters,
  frameAt,
  mergeReels,
  movePiece,
  msOfFrame,
  removePiece,
  wholeTitleReel,
  withTracksLike,
  type Reel,
} from '.';

function disc(tracks: readonly { audio: readonly Partial<AudioTrack>[]; subtitles?: readonly Partial<SubtitleTrack>[] }[]): Reading {
  const reading = sketchReading(tracks.map((_, i) => ({ parts: [`a${i}:1`, `b${i}:1`, `c${i}:1`] })));
  return {
    ...reading,
    titles: reading.titles.map((t, i) => ({
      ...t,
      audio: (tracks[i]?.audio ?? []).map((a, n) => audioTrack({ stream: 0x80 + n, ...a })),
      subtitles: (tracks[i]?.subtitles ?? []).map((s, n) => subtitleTrack({ stream: 0x20 + n, ...s })),
    })),
  };
}
const reelOf = (reading: Reading, number: number): Reel => {
  const title = reading.titles.find((t) => t.number === number);
  if (!title) throw new Error('no title');
  return wholeTitleReel(title, `Title ${number}`);
};
const titleOf = (reading: Reading, number: number): Title => {
  const title = reading.titles.find((t) => t.number === number);
  if (!title) throw new Error('no title');
  return title;
};

describe('merging titles with different tracks', () => {
  const reading = disc([
    {
      audio: [{ language: 'en' }, { language: 'de' }, { language: 'en', purpose: 'commentary' }],
      subtitles: [{ language: 'en' }, { language: 'de' }],
    },
    { audio: [{ language: 'de' }, { language: 'en' }], subtitles: [{ language: 'de' }] },
    { audio: [{ language: 'en', channels: 6 }] },
  ]);
  const merged = mergeReels(mergeReels(reelOf(reading, 1), reelOf(reading, 2)), reelOf(reading, 3));

  test('tracks go on by language and purpose; what goes on nowhere is missing there, with its times', () => {
    expect(merged.pieces.map((p) => p.title)).toEqual([1, 2, 3]);
    expect(absencesOf(reading, merged).map((a) => [a.kind, a.track, a.piece, a.fromMs, a.toMs])).toEqual([
      ['audio', 2, 1, 180_000, 360_000],
      ['subtitles', 0, 1, 180_000, 360_000],
      ['audio', 0, 2, 360_000, 540_000],
      ['audio', 1, 2, 360_000, 540_000],
      ['audio', 2, 2, 360_000, 540_000],
      ['subtitles', 0, 2, 360_000, 540_000],
      ['subtitles', 1, 2, 360_000, 540_000],
    ]);
    expect(absencesOf(reading, reelOf(reading, 1))).toEqual([]);
  });

  test('pieces are moved and taken out; the last one stays', () => {
    expect(movePiece(merged, 2, 0).pieces.map((p) => p.title)).toEqual([3, 1, 2]);
    expect(movePiece(merged, 0, 9).pieces.map((p) => p.title)).toEqual([2, 3, 1]);
    expect(movePiece(merged, 7, 0)).toEqual(merged);
    expect(removePiece(merged, 1).pieces.map((p) => p.title)).toEqual([1, 3]);
    expect(removePiece(reelOf(reading, 1), 0)).toEqual(reelOf(reading, 1));
  });

  test('a choice of tracks goes over to another title by what they are, not by their numbers', () => {
    const model: Reel = { ...reelOf(reading, 1), audio: reelOf(reading, 1).audio.slice(1, 2), recipes: ['access'] };
    const like = withTracksLike(reading, reelOf(reading, 2), model);
    expect([like.audio.map((t) => t.stream), like.subtitles.map((t) => t.stream), like.recipes]).toEqual([[0x80], [0x20], ['access']]);
    // Nothing in common: the sound stays as it is, a silent film is no choice.
    expect(withTracksLike(reading, reelOf(reading, 3), model).audio).toHaveLength(1);
  });
});

describe('dividing', () => {
  const reading = disc([{ audio: [{}] }]);
  const title = titleOf(reading, 1);
  const whole: Reel = { ...reelOf(reading, 1), chapterNames: ['One', 'Two', 'Three'] };

  test('before chapters: the parts hold every chapter once, with its name', () => {
    const parts = divideByChapters(title, whole, dividingChapters(title, { title: 1, angle: 1, fromChapter: 1, toChapter: 3 }));
    expect(parts.map((p) => [p.pieces[0]?.fromChapter, p.pieces[0]?.toChapter, p.chapterNames])).toEqual([
      [1, 1, ['One']],
      [2, 2, ['Two']],
      [3, 3, ['Three']],
    ]);
    expect(divideByChapters(title, whole, [3, 3, 9, 1]).map((p) => p.chapterNames)).toEqual([['One', 'Two'], ['Three']]);
  });

  test('at moments: the ranges follow each other without a gap', () => {
    const parts = divideAt(title, whole, [100_000, 30_000, 999_000]);
    expect(parts.map((p) => p.pieces[0]?.range)).toEqual([
      { fromMs: 0, toMs: 30_000 },
      { fromMs: 30_000, toMs: 100_000 },
      { fromMs: 100_000, toMs: 180_000 },
    ]);
    expect(divideAt(title, whole, [])).toEqual([whole]);
  });

  test('by angles: a reel for each, of the same chapters; one angle stays one reel', () => {
    const reading = disc([{ audio: [{}] }]);
    const title = { ...titleOf(reading, 1), angles: 3 };
    const reel = { ...reelOf(reading, 1), fileName: 'x' };
    const reels = divideByAngles(title, reel);
    expect(reels.map((r) => r.pieces)).toEqual([1, 2, 3].map((angle) => [{ ...reel.pieces[0], angle }]));
    expect(new Set(reels.map((r) => r.name)).size).toBe(3);
    expect(reels.every((r) => r.fileName === '')).toBe(true);
    expect(divideByAngles(titleOf(reading, 1), reel)).toEqual([reel]);
  });
  test('frames are counted from the beginning of the title', () => {
    expect([frameAt(title, 1000), msOfFrame(title, 25), frameAt(title, msOfFrame(title, 1234))]).toEqual([25, 1000, 1234]);
  });
});
