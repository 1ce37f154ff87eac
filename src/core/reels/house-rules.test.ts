import { audioTrack, offers, sketchReading, subtitleTrack } from '@/test-support/readings';
import { findRoles } from '../findings';
import type { AudioTrack, Reading, SubtitleTrack } from '../reading';
import { DEFAULT_RULES, NO_TAGS, applyRules, choiceFrom, type HouseRules, type Reel, type TakenTrack } from '.';

/** A film with the given tracks as title 2, beside a trailer, an extra and a short logo. */
function film(audio: readonly Partial<AudioTrack>[], subtitles: readonly Partial<SubtitleTrack>[] = []): Reading {
  const reading = sketchReading(
    [{ parts: ['x:0.5'] }, { parts: ['a:45', 'b:45'] }, { parts: ['e:5'] }, { parts: ['l:0.03'] }],
    [offers(2, 1, true), offers(3, 2), offers(1, 3)],
  );
  return {
    ...reading,
    titles: reading.titles.map((t) =>
      t.number === 2
        ? {
            ...t,
            audio: audio.map((a, i) => audioTrack({ stream: 0x80 + i, ...a })),
            subtitles: subtitles.map((s, i) => subtitleTrack({ stream: 0x20 + i, ...s })),
          }
        : t,
    ),
  };
}
const rules = (change: Partial<HouseRules>): HouseRules => ({ ...DEFAULT_RULES, ...change });
const apply = (reading: Reading, change: Partial<HouseRules>) => applyRules(reading, findRoles(reading), rules(change));
/** Streams taken of the film, by place in its list. */
const taken = (reading: Reading, change: Partial<HouseRules>) => {
  const reel = apply(reading, change).reels.find((r) => r.pieces[0]?.title === 2);
  return [reel?.audio.map((t) => t.stream - 0x80), reel?.subtitles.map((t) => t.stream - 0x20)];
};

const SOUND: readonly Partial<AudioTrack>[] = [
  { language: 'de', codec: 'AC-3', channels: 6 },
  { language: 'en', codec: 'AC-3', channels: 2, bitRate: 192_000 },
  { language: 'en', codec: 'LPCM', channels: 2, bitDepth: 24 },
  { language: 'en', codec: 'AC-3', channels: 6, bitRate: 448_000 },
  { language: 'en', codec: 'AC-3', channels: 2, purpose: 'commentary' },
  { language: 'en', codec: 'AC-3', channels: 2, purpose: 'visually impaired' },
  { language: null, codec: 'DTS', channels: 6 },
  { language: 'fr', codec: 'unknown' },
];
const TEXT: readonly Partial<SubtitleTrack>[] = [
  { language: 'de', purpose: 'normal' },
  { language: 'en', purpose: 'normal' },
  { language: 'en', purpose: 'captions' },
  { language: 'fr', purpose: 'forced' },
  { language: null, purpose: null },
  { language: 'en', purpose: 'commentary' },
];

test.each<[string, Partial<HouseRules>, number[], number[]]>([
  ['everything that can be taken, in the disc’s order but extras last', {}, [0, 1, 2, 3, 6, 4, 5], [0, 1, 2, 3, 4, 5]],
  ['preferred languages come first', { languages: ['en'] }, [1, 2, 3, 0, 6, 4, 5], [1, 2, 5, 0, 3, 4]],
  [
    'only preferred ones, and what says no language',
    { languages: ['en'], audio: 'preferred', subtitles: 'preferred' },
    [1, 2, 3, 6, 4, 5],
    [1, 2, 5, 3, 4],
  ],
  ['the best of each language', { quality: 'best', commentary: false, description: false, subtitles: 'none' }, [0, 2, 6], [3]],
  [
    'the best and one that every player knows',
    { quality: 'best and compatible', commentary: false, description: false, subtitles: 'none' },
    [0, 2, 3, 6],
    [3],
  ],
  [
    'a language that is not there takes nothing away',
    { languages: ['sv'], audio: 'preferred', commentary: false, description: false },
    [0, 1, 2, 3, 6],
    [0, 1, 2, 3, 4],
  ],
  ['no captions', { hearingImpaired: false }, [0, 1, 2, 3, 6, 4, 5], [0, 1, 3, 4, 5]],
  [
    'regions of a language count as it',
    { languages: ['EN'], audio: 'preferred', quality: 'best', commentary: false, description: false, subtitles: 'none' },
    [2, 6],
    [3],
  ],
])('tracks: %s', (_what, change, audio, subtitles) => {
  expect(taken(film(SOUND, TEXT), change)).toEqual([audio, subtitles]);
});

test('the first audio track is the default one, and that of the work’s language is marked as original', () => {
  const reading = film(SOUND);
  const { reels } = applyRules(reading, findRoles(reading), rules({ languages: ['en'] }), { ...NO_TAGS, language: 'de' });
  expect(reels[0]?.audio.filter((t) => t.isDefault).map((t) => t.stream)).toEqual([0x81]);
  expect(reels[0]?.audio.filter((t) => t.isOriginal).map((t) => t.language)).toEqual(['de']);
});

test('every track and title is decided with its ground', () => {
  const { decisions } = apply(film(SOUND, TEXT), {
    languages: ['en'],
    audio: 'preferred',
    quality: 'best and compatible',
    subtitles: 'preferred',
  });
  const grounds = decisions.find((d) => d.title === 2)?.tracks.map((t) => [t.taken, t.ground]);
  expect(grounds).toEqual([
    [false, 'other language'],
    [false, 'quality: lesser'],
    [true, 'quality: best'],
    [true, 'quality: compatible'],
    [true, 'commentary'],
    [true, 'description'],
    [true, 'no language said'],
    [false, 'unknown codec'],
    [false, 'other language'],
    [true, 'preferred language'],
    [true, 'hearing impaired'],
    [true, 'forced'],
    [true, 'no language said'],
    [true, 'commentary'],
  ]);
  expect(decisions.map((d) => [d.title, d.taken, d.ground])).toEqual([
    [1, false, 'extras'],
    [2, true, 'main title'],
    [3, false, 'extras'],
    [4, false, 'no content'],
  ]);
});

test.each<[string, Partial<HouseRules>, number[]]>([
  ['only the film', {}, [2]],
  ['extras from a minute on', { extras: true }, [2, 3]],
  ['all extras', { extras: true, shortestExtraMs: 0 }, [2, 1, 3]],
])('titles of a film: %s', (_what, change, expected) => {
  expect(apply(film([{}]), change).reels.map((r) => r.pieces[0]?.title)).toEqual(expected);
});

describe('a series', () => {
  const series = sketchReading([{ parts: ['b:20'] }, { parts: ['a:20', 'b:20', 'c:20'] }, { parts: ['a:20'] }, { parts: ['c:20'] }]);
  test.each<[HouseRules['series'], number[]]>([
    ['episodes', [3, 1, 4]],
    ['play-all', [2]],
    ['both', [3, 1, 4, 2]],
  ])('%s', (choice, expected) => {
    expect(apply(series, { series: choice }).reels.map((r) => r.pieces[0]?.title)).toEqual(expected);
  });

  test('numbers go on from the disc before', () => {
    const set = { series: 'Tide Tables', season: 2, firstEpisode: 4 };
    const { reels } = applyRules(series, findRoles(series), DEFAULT_RULES, NO_TAGS, set);
    expect(reels.map((r) => [r.name, r.tags?.series, r.tags?.season, r.tags?.episode])).toEqual([
      ['Episode 4', 'Tide Tables', 2, 4],
      ['Episode 5', 'Tide Tables', 2, 5],
      ['Episode 6', 'Tide Tables', 2, 6],
    ]);
  });
});

test('repeats and what can not be taken are left, with the reason; other cuts by the rule', () => {
  const titles = [
    { parts: ['a:45', 'b:45'] },
    { parts: ['a:45', 'b:45'] },
    { parts: ['a:45', 'n:3', 'b:45'] },
    { parts: ['z:45'], state: 'scrambled' as const },
  ];
  const reading = sketchReading(titles, [offers(1, 1, true), offers(3, 2)]);
  const found = findRoles(reading);
  const cut = found.titles.find((f) => f.role === 'cut')?.title;
  const { decisions, reels } = applyRules(reading, found, rules({ cuts: true }));
  expect(decisions.filter((d) => !d.taken).map((d) => d.ground)).toEqual(['repeats', 'not usable']);
  expect(reels.map((r) => r.pieces[0]?.title)).toContain(cut);
  expect(applyRules(reading, found, DEFAULT_RULES).reels).toHaveLength(1);
});

describe('what is kept for the discs of a set', () => {
  const set = (series: string) => ({ series, season: null, firstEpisode: 1 });
  const reading = film(SOUND, TEXT);
  const found = findRoles(reading);
  const title = reading.titles.find((t) => t.number === 2);
  if (!title) throw new Error('no title');
  const [ruled] = applyRules(reading, found, DEFAULT_RULES).reels;
  if (!ruled) throw new Error('no reel');
  const pick = (list: readonly TakenTrack[], place: number, from: number) => list.filter((t) => t.stream === from + place);
  /** On the first disc: the surround sound of two, the other way round, captions, and their forced events apart. */
  const overruled: Reel = {
    ...ruled,
    audio: [...pick(ruled.audio, 3, 0x80), ...pick(ruled.audio, 0, 0x80)].map((t, i) => ({ ...t, name: `sound ${i}` })),
    subtitles: [
      ...pick(ruled.subtitles, 2, 0x20),
      ...pick(ruled.subtitles, 2, 0x20).map((t) => ({ ...t, forcedOnly: true, isForced: true, name: 'Forced' })),
    ],
    recipes: ['access'],
    subtitleFiles: true,
  };
  const sets = [choiceFrom('Tide Tables', 'main', title, overruled)];

  test('tracks are found again by what they are, in the order and with the names they were given', () => {
    // The next disc has the same tracks behind one another in another order.
    const next = film([...SOUND].reverse(), [...TEXT].reverse());
    const { reels, decisions } = applyRules(next, findRoles(next), rules({ sets }), NO_TAGS, set('Tide Tables'));
    const at = (list: readonly object[], place: number) => list.length - 1 - place;
    expect(reels[0]?.audio.map((t) => [t.stream - 0x80, t.name])).toEqual([
      [at(SOUND, 3), 'sound 0'],
      [at(SOUND, 0), 'sound 1'],
    ]);
    expect(reels[0]?.subtitles.map((t) => [t.stream - 0x20, t.forcedOnly ?? false, t.name])).toEqual([
      [at(TEXT, 2), false, 'Captions'],
      [at(TEXT, 2), true, 'Forced'],
    ]);
    expect([reels[0]?.recipes, reels[0]?.subtitleFiles]).toEqual([['access'], true]);
    const grounds = decisions.find((d) => d.title === 2)?.tracks.filter((t) => t.ground === 'kept for the set');
    expect(grounds?.every((t) => !t.taken)).toBe(true);
    expect(grounds?.length).toBeGreaterThan(5);
  });

  test('other sets, and discs of none, follow the rules', () => {
    const plain = applyRules(reading, found, DEFAULT_RULES).reels[0]?.audio;
    expect(applyRules(reading, found, rules({ sets }), NO_TAGS, set('Other Tides')).reels[0]?.audio).toEqual(plain);
    expect(applyRules(reading, found, rules({ sets })).reels[0]?.audio).toEqual(plain);
  });

  test('a disc with none of the kept sound keeps what the rules take', () => {
    const other = film([{ language: 'fo', codec: 'AC-3' }]);
    const { reels } = applyRules(other, findRoles(other), rules({ sets }), NO_TAGS, set('Tide Tables'));
    expect(reels[0]?.audio.map((t) => t.language)).toEqual(['fo']);
  });
});
