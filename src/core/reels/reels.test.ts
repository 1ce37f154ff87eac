import { findRoles } from '../findings';
import { audioTrack, offers, sketchReading, subtitleTrack } from '@/test-support/readings';
import { seeded } from '@/test-support/random';
import {
  coverageOf,
  estimateReel,
  nameFromLabel,
  DEFAULT_RULES,
  applyRules,
  readingForReel,
  recipesFor,
  safeFileName,
  safeFolderPath,
  takeAudio,
  takeSubtitle,
  wholeTitleReel,
  type HouseRules,
  roomAt,
} from '.';

describe('file names', () => {
  test.each([
    ['The Lamplighters', 'The Lamplighters'],
    ['a/b\\c:d*e?f"g<h>i|j', 'a-b-c-d-e-f-g-h-i-j'],
    ['../../etc/passwd', 'etc-passwd'],
    ['..', 'Untitled'],
    ['   ', 'Untitled'],
    ['', 'Untitled'],
    ['name.', 'name'],
    ['.hidden', 'hidden'],
    ['tab\there\nand\u0000there', 'tabhereandthere'],
    ['\u202egnp.mkv', 'gnp.mkv'],
    ['CON', 'CON -'],
    ['lpt1', 'lpt1 -'],
    ['e\u0301t\u00e9', 'été'],
  ])('%j becomes %j', (given, expected) => {
    expect(safeFileName(given)).toBe(expected);
  });

  test('any text at all gives a name that every file system takes', () => {
    for (let seed = 0; seed < 600; seed++) {
      const random = seeded(seed);
      const text = Array.from({ length: random.int(400) }, () =>
        String.fromCodePoint(
          random.pick([0x2e, 0x2f, 0x20, random.int(0x20), 0x41 + random.int(26), 0x1f980, 0x20ac, 0xd7ff, random.int(0xd000)]),
        ),
      ).join('');
      const name = safeFileName(text);
      expect(Buffer.byteLength(name)).toBeGreaterThan(0);
      expect(Buffer.byteLength(name)).toBeLessThanOrEqual(202);

      expect(name).not.toMatch(/[/\\:*?"<>|\u0000-\u001f]|^[. ]|[. ]$|\.\./);
      expect(safeFileName(name)).toBe(name);
      expect(name.isWellFormed?.() ?? true).toBe(true);
    }
    expect(safeFileName('x'.repeat(300))).toHaveLength(200);
  });

  test.each([
    ['Films/Documentaries', 'Films/Documentaries'],
    ['/etc/../..//x\\y/', 'etc/x/y'],
    [' . / .. /', ''],
    ['a/b/c/d/e/f/g/h', 'a/b/c/d/e/f'],
    ['', ''],
  ])('folder %j becomes %j', (given, expected) => {
    expect(safeFolderPath(given)).toBe(expected);
  });

  test.each([
    ['THE_LAMP-ROOM', 'The Lamp-Room'],
    ['Harbour 2', 'Harbour 2'],
    ['DVD_VIDEO', 'Untitled disc'],
    ['', 'Untitled disc'],
    ['ÉTÉ_INDIEN', 'Été Indien'],
    ['A\u202eB', 'Ab'],
  ])('label %j reads %j', (label, name) => {
    expect(nameFromLabel(label)).toBe(name);
  });
});

describe('proposals', () => {
  test('a film: its main title, whole, with all its tracks and their flags', () => {
    const reading = sketchReading([{ parts: ['x:2'] }, { parts: ['a:30', 'b:30'], audio: 2, subtitles: 1 }], [offers(2, 1, true)]);
    const [reel, ...others] = applyRules(reading, findRoles(reading), DEFAULT_RULES).reels;
    expect(others).toEqual([]);
    expect(reel).toMatchObject({ name: 'Test Disc', pieces: [{ title: 2, angle: 1, fromChapter: 1, toChapter: 2 }], recipes: ['master'] });
    expect(reel?.audio.map((t) => t.isDefault)).toEqual([true, false]);
    expect(reel?.subtitles).toHaveLength(1);
  });

  test('a series: one reel per episode, in the order of the play-all', () => {
    const reading = sketchReading([{ parts: ['b:20'] }, { parts: ['a:20', 'b:20'] }, { parts: ['a:20'] }]);
    expect(applyRules(reading, findRoles(reading), DEFAULT_RULES).reels.map((r) => [r.name, r.pieces[0]?.title])).toEqual([
      ['Test Disc - part 1', 3],
      ['Test Disc - part 2', 1],
    ]);
  });

  test('nothing where nothing can be taken', () => {
    const reading = sketchReading([{ parts: ['a:30'], state: 'scrambled' }]);
    expect(applyRules(reading, findRoles(reading), DEFAULT_RULES).reels).toEqual([]);
  });

  test('flags follow what the disc’s tables say a track is for', () => {
    expect(takeAudio(audioTrack({ purpose: 'commentary' }), false)).toMatchObject({
      isCommentary: true,
      name: 'Commentary',
      isVisuallyImpaired: false,
    });
    expect(takeAudio(audioTrack({ purpose: 'visually impaired' }), true)).toMatchObject({ isVisuallyImpaired: true, isDefault: true });
    expect(takeSubtitle(subtitleTrack({ purpose: 'forced' }))).toMatchObject({ isForced: true, isHearingImpaired: false });
    expect(takeSubtitle(subtitleTrack({ purpose: 'large captions' }))).toMatchObject({ isHearingImpaired: true });
    expect(takeSubtitle(subtitleTrack({ purpose: "children's commentary" }))).toMatchObject({ isCommentary: true });
  });
});

describe('estimates', () => {
  const reading = sketchReading([{ parts: ['a:2', 'b:2'], audio: 2 }]);
  const [title] = reading.titles;
  if (!title) throw new Error('no title');
  const reel = wholeTitleReel(title, 'x');

  test('a whole title is nearly its sectors; half of it is half', () => {
    const whole = estimateReel(reading, reel);
    expect(whole.durationMs).toBe(4 * 60_000);
    expect(whole.masterBytes / title.sizeBytes).toBeCloseTo(0.97, 2);
    const half = estimateReel(reading, { ...reel, pieces: [{ title: 1, angle: 1, fromChapter: 2, toChapter: 2 }] });
    expect(half.masterBytes / whole.masterBytes).toBeCloseTo(0.5, 2);
    expect(half.durationMs).toBe(2 * 60_000);
  });

  test('an audio track that is left takes its bytes with it', () => {
    const fewer = estimateReel(reading, { ...reel, audio: reel.audio.slice(0, 1) });
    expect(estimateReel(reading, reel).masterBytes - fewer.masterBytes).toBe((192_000 / 8) * 4 * 60);
  });

  test('a title that is not there costs nothing', () => {
    expect(estimateReel(reading, { ...reel, pieces: [{ title: 9, angle: 1, fromChapter: 1, toChapter: 1 }] })).toEqual({
      durationMs: 0,
      masterBytes: 0,
      copyBytes: new Map(),
    });
  });
});

describe('coverage', () => {
  const reading = sketchReading([{ parts: ['a:10', 'b:10'] }, { parts: ['a:10'] }, { parts: ['x:5'], state: 'scrambled' }]);
  const piece = (title: number, from: number, to: number) => ({ title, angle: 1, fromChapter: from, toChapter: to });
  test('what no title leads to is unexplained, and part of the whole', () => {
    const stretch = { id: 'l', content: 'VTS_01', firstSector: 0, lastSector: 999, discSector: 0, durationMs: 90_000, chain: null };
    const found = coverageOf({ ...reading, loose: [stretch] }, [], []);
    expect(found.unexplained).toEqual({ ms: 90_000, bytes: 1000 * 2048 });
    expect(found.total.ms).toBe(coverageOf(reading, [], []).total.ms + 90_000);
  });

  const minutes = (of: ReturnType<typeof coverageOf>) => [of.kept, of.planned, of.open, of.unusable, of.total].map((s) => s.ms / 60_000);

  test('each stretch counts once, whichever title it was taken by', () => {
    expect(minutes(coverageOf(reading, [], []))).toEqual([0, 0, 20, 5, 25]);
    expect(minutes(coverageOf(reading, [piece(2, 1, 1)], [piece(1, 1, 2)]))).toEqual([10, 10, 0, 5, 25]);
    expect(minutes(coverageOf(reading, [piece(1, 2, 2)], []))).toEqual([10, 0, 10, 5, 25]);
  });

  test('a master that lacks a place has not kept the segment of it; another copy’s may', () => {
    const [a] = reading.segments;
    const gaps = [
      { content: a?.content ?? '', firstSector: a?.firstSector ?? 0, lastSector: a?.firstSector ?? 0, cause: 'spoilt' as const },
    ];
    const around = [{ pieces: [piece(1, 1, 2)], gaps }];
    expect(minutes(coverageOf(reading, [], [], around))).toEqual([10, 0, 10, 5, 25]);
    expect(minutes(coverageOf({ ...reading, damage: gaps }, [], [], around))).toEqual([10, 0, 0, 15, 25]);
    expect(minutes(coverageOf(reading, [piece(2, 1, 1)], [], around))).toEqual([20, 0, 0, 5, 25]);
  });

  test('the shares add up to the whole, for any choice', () => {
    for (let seed = 0; seed < 200; seed++) {
      const random = seeded(seed);
      const some = () => Array.from({ length: random.int(3) }, () => piece(1 + random.int(4), 1 + random.int(2), 1 + random.int(2)));
      const c = coverageOf(reading, some(), some());
      for (const unit of ['ms', 'bytes'] as const)
        expect(c.kept[unit] + c.planned[unit] + c.open[unit] + c.unusable[unit] + c.unexplained[unit]).toBe(c.total[unit]);
    }
  });
});

test('a job takes along only what its reel needs of a reading, and makes the same of it', () => {
  const reading = sketchReading([{ parts: ['a:10', 'b:10'] }, { parts: ['b:10'] }, { parts: ['x:5'] }], [offers(1), offers(3)]);
  const [first] = applyRules(reading, findRoles(reading), DEFAULT_RULES).reels;
  if (!first) throw new Error('no reel');
  const small = readingForReel(reading, first);
  expect(small.titles.map((t) => t.number)).toEqual([1]);
  expect(small.segments.map((s) => s.id)).toEqual(['a:10', 'b:10']);
  expect(small.routes.map((r) => r.title)).toEqual([1]);
  expect(estimateReel(small, first)).toEqual(estimateReel(reading, first));
  expect(small.fingerprint).toBe(reading.fingerprint);
});

test('recipes by kind of title and disc: the first line that fits counts, and the others have the usual ones', () => {
  const rules: Pick<HouseRules, 'recipes' | 'recipesFor'> = {
    recipes: ['master'],
    recipesFor: [
      { titles: 'other titles', discs: 'any disc', recipes: ['lending'] },
      { titles: 'films', discs: 'Blu-rays', recipes: ['master', 'shelf-saver'] },
      { titles: 'films', discs: 'any disc', recipes: ['master', 'access'] },
    ],
  };
  expect(recipesFor(rules, 'extra', 'DVD-Video')).toEqual(['lending']);
  expect(recipesFor(rules, 'main', 'Blu-ray')).toEqual(['master', 'shelf-saver']);
  expect(recipesFor(rules, 'cut', 'DVD-Video')).toEqual(['master', 'access']);
  expect(recipesFor(rules, 'main', 'Video file')).toEqual(['master', 'access']);
  expect(recipesFor(rules, 'episode', 'DVD-Video')).toEqual(['master']);
});

test('room is reckoned where results go: what is only there meanwhile makes room for the next reel, and stays with its storage', () => {
  const estimate = (recipes: readonly string[], masterBytes: number, copies: readonly (readonly [string, number])[]) => ({
    recipes,
    durationMs: 1000,
    masterBytes,
    copyBytes: new Map(copies),
  });
  const at = (recipe: string) => (recipe === 'lent' ? 'shelf' : 'library');
  const reels = [
    estimate(['master', 'access', 'lent'], 1000, [
      ['access', 200],
      ['lent', 50],
    ]),
    // No master is kept of this one: it is there while its copy is made.
    estimate(['lent'], 3000, [['lent', 80]]),
  ];
  expect(Object.fromEntries(roomAt(reels, at))).toEqual({
    library: { kept: 1200, passing: 3000 },
    shelf: { kept: 130, passing: 80 },
  });
  expect(Object.fromEntries(roomAt(reels, () => 'library'))).toEqual({ library: { kept: 1330, passing: 3080 } });
});
