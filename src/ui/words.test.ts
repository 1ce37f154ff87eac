import { findRoles } from '@/core/findings';
import { offers, plays, sketchReading } from '@/test-support/readings';
import { bytes, clock, languageName, list, moment, numbers, timeLeft } from './format';
import type { Sidecar } from '@/contract';
import { audioText, discSentence, evidenceText, kindText, purposeText, remarkText, roleOf, videoText } from './words';
import { readingText } from './words-queue';
import { legsText, proofState, proofText, proofWord } from './words-proof';

test.each([
  [0, '0:00'],
  [999, '0:01'],
  [65_000, '1:05'],
  [5_524_000, '1:32:04'],
  [-5, '0:00'],
])('%i ms reads %s', (ms, text) => {
  expect(clock(ms)).toBe(text);
});
test.each([
  [0, '0 B'],
  [999, '999 B'],
  [1500, '1.50 kB'],
  [121_000_000, '121 MB'],
  [4_510_000_000, '4.51 GB'],
  [2.1e12, '2.10 TB'],
])('%i bytes read %s', (n, text) => {
  expect(bytes(n)).toBe(text);
});
test.each([
  [0.2, '1 s'],
  [40, '40 s'],
  [100, '2 min'],
  [9000, '2.5 h'],
  [Infinity, ''],
])('%d s left read %j', (s, text) => {
  expect(timeLeft(s)).toBe(text);
});
test('a moment is as short as it stays plain', () => {
  const now = new Date(2026, 10, 25, 12, 0);
  expect(moment(new Date(2026, 10, 25, 4, 6).toISOString(), now)).toBe('04:06');
  expect(moment(new Date(2026, 10, 24, 4, 6).toISOString(), now)).toBe('24 Nov, 04:06');
});
test('lists and runs of numbers', () => {
  expect([list([]), list([1]), list([1, 2]), list(['a', 'b', 'c'])]).toEqual(['', '1', '1 and 2', 'a, b and c']);
  expect([numbers([5, 3, 4, 9]), numbers([1, 2]), numbers([7])]).toEqual(['3–5 and 9', '1 and 2', '7']);
});
test('languages have names; what is no language stays as it is', () => {
  expect([languageName('en'), languageName('gd'), languageName(null), languageName('x!'), languageName('qqx')]).toEqual([
    'English',
    'Scottish Gaelic',
    'not said',
    'x!',
    'qqx',
  ]);
});

const series = sketchReading(
  [{ parts: ['a:20', 'b:20'] }, { parts: ['a:20'] }, { parts: ['b:20'] }, { parts: ['a:20'] }, { parts: ['c:30'], state: 'scrambled' }],
  [offers(1)],
);

test('a disc in one sentence', () => {
  const say = (reading: typeof series) => discSentence(reading, findRoles(reading));
  expect(say(series)).toBe('2 episodes, a play-all that repeats them, 1 duplicate and 1 title that can not be taken.');
  expect(say(sketchReading([{ parts: ['a:90'] }], [plays(1)]))).toBe('One film of 1:30:00.');
  expect(say(sketchReading([{ parts: ['a:90'], state: 'scrambled' }]))).toBe('Nothing on this disc can be taken.');
  expect(say(sketchReading([{ parts: ['a:90'], state: 'scrambled' }, { parts: ['b:5'] }]))).toBe(
    'The main title is copy protected; there is 1 extra.',
  );
  expect(say(sketchReading([]))).toBe('No title could be read.');
  const stretch = { id: 'l', content: 'VTS_01', firstSector: 0, lastSector: 99, discSector: 0, durationMs: null, chain: null };
  expect(say(sketchReading([{ parts: ['a:90'] }], [plays(1)], { loose: [stretch] }))).toBe(
    'One film of 1:30:00 and 1 stretch that nothing leads to.',
  );
});

test('every role and every piece of evidence has words of its own', () => {
  const { titles } = findRoles(series);
  expect(titles.map(roleOf)).toEqual(['play-all of 2 and 3', 'episode 1', 'episode 2', 'same as 2', 'copy protected']);
  const texts = titles.flatMap((t) => t.evidence.map(evidenceText));
  expect(texts).toContain('titles 2 and 3 one after the other fill 100 % of it');
  for (const text of texts) expect(text).not.toMatch(/undefined|null|NaN/);
  for (const code of [
    'backup-used',
    'backup-differs',
    'structure-lost',
    'table-damaged',
    'image-cut-short',
    'beyond-end',
    'scrambled',
    'stream-differs',
    'no-titles',
  ] as const) {
    expect(remarkText({ code, severity: 'fault', title: 2, detail: '' })).toMatch(/\.$/);
  }
});

describe('what is said of Blu-rays', () => {
  const cuts = sketchReading(
    [{ parts: ['a:30', 'b:4', 'c:40'] }, { parts: ['a:30', 'x:6', 'c:40'] }, { parts: ['a:30', 'b:4', 'c:40'], audio: 2 }],
    [plays(2)],
  );
  const findings = findRoles(cuts);

  test('cuts are counted with the film, other tracks are named', () => {
    expect(discSentence(cuts, findings)).toBe('One film of 1:16:00 in 2 cuts and 1 version with other tracks.');
    expect(findings.titles.map(roleOf)).toEqual(['another cut of 2, 2:00 shorter', 'main title', '1 with other tracks']);
    expect(findings.titles[0]?.evidence.slice(0, 2).map(evidenceText)).toEqual([
      'it shares 92 % of title 2, in the same order',
      '2:00 shorter than title 2',
    ]);
  });

  test.each([
    [{ kind: 'shuffled', titles: [4] }, 'the parts of title 4 in another order'],
    [{ kind: 'true order', value: 35 }, 'the true one of 36 that show the same parts'],
    [{ kind: 'time runs on', value: 100 }, 'time stamps run on at 100 % of its joins'],
    [{ kind: 'repeats itself', value: 95 }, '95 % of it only repeats what it has shown'],
    [{ kind: 'damaged', value: 1 }, '1 chapter of it is damaged; the others can be taken'],
    [{ kind: 'damaged', value: 2 }, '2 chapters of it are damaged; the others can be taken'],
    [{ kind: 'index lists', value: 3 }, "the disc's list of titles has it, place 3"],
    [{ kind: 'divides', value: 4 }, 'it seems to be 4 works in a row'],
    [{ kind: 'menu loop' }, 'only the menus lead to it, without any button'],
  ] as const)('evidence %j', (evidence, text) => {
    expect(evidenceText({ points: 0, titles: [], value: null, ...evidence })).toBe(text);
  });

  test('pictures: kind, size, rate, and what is special about them', () => {
    const [title] = cuts.titles;
    if (!title) throw new Error('no title');
    const say = (video: Partial<typeof title.video>) => videoText({ ...title, video: { ...title.video, ...video } });
    const film = {
      codec: 'HEVC',
      profile: 'Main 10 5.1',
      widthPixels: 3840,
      heightPixels: 2160,
      standard: null,
      frameRate: '24000/1001',
    } as const;
    expect(say({})).toBe('MPEG-2, 720×576, 16:9, PAL 25');
    expect(say({ ...film, dynamicRange: 'HDR10' })).toBe('HEVC Main 10 5.1, 3840×2160, 16:9, 23.976, HDR10');
    expect(say({ standard: null, interlaced: true })).toBe('MPEG-2, 720×576, 16:9, interlaced 25');
    expect(say({ secondView: { stream: 0x1012, baseIsRight: true }, closedCaptions: true })).toContain(
      'two views, right eye first, closed captions',
    );
    expect([kindText(cuts), kindText({ ...cuts, kind: 'Blu-ray' })]).toEqual(['DVD, PAL', 'Blu-ray, 576 lines']);
  });

  test('sound: the core of a stream is told as that', () => {
    const [audio] = cuts.titles[0]?.audio ?? [];
    if (!audio) throw new Error('no audio');
    expect(purposeText({ ...audio, coreOf: 0x1100 })).toBe('core of the one above');
    expect(purposeText({ ...audio, purpose: 'commentary' })).toBe('commentary');
    expect(audioText({ ...audio, codec: 'TrueHD', layout: '7.1', bitRate: null })).toBe('7.1, TrueHD');
    expect(languageName('zxx')).toBe('no speech');
  });

  test('a reading under way says how far it is', () => {
    const at = (step: 'playlist' | 'clip' | 'surface', done: number, total: number) =>
      readingText({
        id: 'x',
        source: { kind: 'drive', drive: 'd' },
        name: 'n',
        state: 'reading',
        progress: { step, done, total },
        problem: null,
        fingerprint: null,
        thorough: false,
      });
    expect([at('playlist', 3, 10), at('clip', 0, 4), at('surface', 120, 4700)]).toEqual([
      'playlist 4 of 10',
      'clip 1 of 4',
      'checking every sector: 120 MB of 4.70 GB',
    ]);
  });
});

describe('what is said of a proof', () => {
  const gap = { kind: 'gap', track: 0, atMs: 1000, ms: 400, content: 'VTS_01', firstSector: 1, lastSector: 2, count: 1 } as const;
  const remark = { ...gap, kind: 'check word', track: 1 } as const;
  const witnesses = { packs: 68_072, navigationPacks: 681, cells: 9, playItems: 0, entryPoints: 0, pictures: 8200, soundFrames: 10_250 };
  const sidecar = (
    exceptions: readonly (typeof gap | typeof remark)[] | null,
    passed = true,
    left = 0,
    recipe: Sidecar['recipe'] = 'master',
  ) => {
    const damage = (exceptions ?? []).filter((e) => e.kind === 'gap').length;
    const wholeness = exceptions && { faults: exceptions, count: exceptions.length, damage, witnesses };
    const track = { left: left > 0 ? [{ reason: 'outside the cut', bytes: left, frames: 1, ms: 20 }] : [] };
    return {
      recipe,
      promise: { wholeness, tracks: [track] },
      proof: { passed, identicalTracks: 7, tracks: 7, exceptions: exceptions ?? [] },
    } as unknown as Sidecar;
  };
  const saysWhole = (s: Sidecar) =>
    [proofWord(s), proofText(s), ...legsText(s)].some((text) => /\bwhole and|, whole|is what the disc/.test(text));

  test('whole is said only where the disc’s own account was looked at and nothing of it is missing', () => {
    expect([proofWord(sidecar([])), proofState(sidecar([]))]).toEqual(['whole and proven', 'kept']);
    expect(saysWhole(sidecar([]))).toBe(true);
    for (const other of [sidecar(null), sidecar([gap]), sidecar([gap, remark])]) expect(saysWhole(other)).toBe(false);
    expect(proofWord(sidecar(null))).toBe('as it was read');
    expect(legsText(sidecar(null))).toContain('Whether the source itself is whole was not looked at.');
  });

  test('what did not pass is never called anything better', () => {
    for (const exceptions of [null, [], [gap], [remark]])
      for (const recipe of ['master', 'access'] as const) {
        const failed = sidecar(exceptions, false, 0, recipe);
        expect([proofWord(failed), proofText(failed), proofState(failed)]).toEqual([
          'did not pass its proof',
          'did not pass its proof',
          'damaged',
        ]);
      }
  });

  test('gaps are counted and want eyes; what is only to be known of is neither hidden nor damage', () => {
    const gaps = sidecar([gap, gap, remark]);
    expect([proofWord(gaps), proofState(gaps)]).toEqual(['proven, with gaps in 2 places', 'eyes']);
    expect(proofText(gaps)).toBe('7 of 7 tracks bit-identical to what was read, taken around damage in 2 places');
    expect(proofText(sidecar([remark]))).toBe('7 of 7 tracks bit-identical to what was read, whole; 1 place to know of');
    expect(proofState(sidecar([remark]))).toBe('kept');
  });

  test('the legs name what was compared, and what was left out only where something was', () => {
    expect(legsText(sidecar([]))[1]).toContain('68,072 packs, 681 navigation packs, 9 cells by their table');
    expect(legsText(sidecar([gap]))[1]).toContain('is, but for the places below, what the disc says there is');
    expect(legsText(sidecar([]))[2]).toBe('Nothing was left out of a track.');
    expect(legsText(sidecar([], true, 512))[2]).toBe('What was left out is listed below, and within its bounds.');
    expect(legsText(sidecar([], true, 0, 'access'))[0]).toContain('decodes without complaint');
  });
});
