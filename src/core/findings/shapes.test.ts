import { applyRules, DEFAULT_RULES } from '../reels';
import { offers, plays, sketchReading, type TitleSketch } from '@/test-support/readings';
import { seeded, type Random } from '@/test-support/random';
import type { TitleRoute } from '../reading';
import { findRoles, type Findings, type Role } from '.';

/** Discs in the shapes that real ones have, made up with what they are known beforehand. */

const roles = (findings: Findings) => findings.titles.map((f) => f.role);

describe('what is lost still competes', () => {
  test('a title of which only the list and the menus know is the main one where they say so, and no extra is passed off as it', () => {
    const reading = sketchReading([{ parts: ['a:90'] }, { parts: ['x:12'] }, { parts: ['y:9'] }], [offers(1, 1, true), offers(2, 2)]);
    const lost = {
      ...reading,
      titles: reading.titles.map((t) => (t.number === 1 ? { ...t, state: 'unreadable' as const, parts: [], chapters: [] } : t)),
    };
    expect(findRoles(lost)).toMatchObject({ mainTitle: null, outOfReach: 1 });
    expect(roles(findRoles(lost)).slice(1)).not.toContain('main');
    // Even where nobody knows how long it was.
    const blank = { ...lost, titles: lost.titles.map((t) => (t.number === 1 ? { ...t, durationMs: 0, sizeBytes: 0 } : t)) };
    expect(findRoles(blank).outOfReach).toBe(1);
  });
});

describe('two cuts of a film', () => {
  const cuts: readonly TitleSketch[] = [{ parts: ['a:40', 'c:40'] }, { parts: ['a:40', 'b:9', 'c:40'] }];

  test('the one that the disc plays is the main title, though the other is longer', () => {
    const findings = findRoles(sketchReading(cuts, [plays(1), offers(2, 2)]));
    expect(roles(findings)).toEqual(['main', 'cut']);
    expect(findings.titles[0]?.confidence).toBeGreaterThan(0.8);
  });

  test('where nothing tells, both are said to be as likely, nobody is 99 % sure, and both are proposed', () => {
    const reading = sketchReading(cuts, [offers(1, 1), offers(2, 2)]);
    const findings = findRoles(reading);
    expect(new Set(roles(findings))).toEqual(new Set(['main', 'cut']));
    expect(Math.max(...findings.titles.filter((f) => f.role === 'main').map((f) => f.confidence))).toBeLessThan(0.75);
    expect(findings.titles.every((f) => f.evidence[0]?.kind === 'even cuts')).toBe(true);
    expect(
      applyRules(reading, findings, DEFAULT_RULES)
        .reels.map((r) => r.pieces[0]?.title)
        .sort(),
    ).toEqual([1, 2]);
  });
});

describe('series', () => {
  test('two play-alls, of everything and of halves: episodes all the same', () => {
    const episodes = ['a:22', 'b:21', 'c:22', 'd:23'];
    const findings = findRoles(
      sketchReading([
        { parts: episodes },
        { parts: episodes.slice(0, 2) },
        { parts: episodes.slice(2) },
        ...episodes.map((p) => ({ parts: [p] })),
      ]),
    );
    expect(findings.kind).toBe('series');
    expect(roles(findings)).toEqual(['play-all', 'play-all', 'play-all', 'episode', 'episode', 'episode', 'episode']);
  });

  test.each([
    ['with a play-all', true],
    ['without one', false],
  ])('a double episode among single ones is an episode, %s', (_, all) => {
    const episodes = ['a:44', 'b:22', 'c:22', 'd:22'];
    const singles = episodes.map((p) => ({ parts: [p] }));
    const findings = findRoles(sketchReading(all ? [{ parts: episodes }, ...singles] : singles));
    expect(findings.kind).toBe('series');
    expect(roles(findings).filter((r) => r === 'episode')).toHaveLength(4);
  });

  test('a play-all that is a copy of its episodes at other addresses', () => {
    const lengths = [22.1, 21.4, 22.7];
    const copies = lengths.map((n, i) => `copy${i}:${n}`);
    const singles = lengths.map((n, i) => ({ parts: [`own${i}:${n}`] }));
    const findings = findRoles(sketchReading([{ parts: copies }, ...singles]));
    expect(findings.kind).toBe('series');
    expect(roles(findings)).toEqual(['play-all', 'episode', 'episode', 'episode']);
    expect(findings.titles[0]?.evidence[0]).toMatchObject({ kind: 'copies of', titles: [2, 3, 4] });
  });
});

test('two films on one disc: the second is no extra, and the rules take it', () => {
  const reading = sketchReading([{ parts: ['a:95'] }, { parts: ['b:70'] }, { parts: ['x:8'] }], [offers(1, 1, true), offers(2, 2)]);
  const findings = findRoles(reading);
  expect(roles(findings)).toEqual(['main', 'feature', 'extra']);
  expect(applyRules(reading, findings, DEFAULT_RULES).reels.map((r) => r.pieces[0]?.title)).toEqual([1, 2]);
  expect(applyRules(reading, findings, { ...DEFAULT_RULES, features: false }).reels).toHaveLength(1);
});

/** A disc of a random shape, and the role that each of its titles has by the way it was made. */
function generated(random: Random): { titles: TitleSketch[]; routes: TitleRoute[]; truth: Role[] } {
  const titles: TitleSketch[] = [];
  const truth: Role[] = [];
  const add = (role: Role, ...parts: string[]) => {
    truth.push(role);
    return titles.push({ parts, audio: role === 'main' || role === 'cut' ? 2 : 1 });
  };
  const minutes = (least: number, most: number) => (least + (most - least) * (random.int(1000) / 1000)).toFixed(2);
  const routes: TitleRoute[] = [];
  const shape = random.int(4);
  if (shape === 0) {
    const main = add('main', `f1:${minutes(30, 50)}`, `f2:${minutes(30, 50)}`);
    routes.push(random.int(2) ? plays(main) : offers(main, 1, true));
  } else if (shape === 1) {
    const [first, second] = [`f1:${minutes(30, 50)}`, `f2:${minutes(30, 50)}`];
    const main = add('main', first, second);
    add('cut', first, `more:${minutes(3, 12)}`, second);
    routes.push(plays(main), offers(main + 1, 2));
  } else {
    const one = 20 + random.int(30);
    const episodes = Array.from({ length: 3 + random.int(3) }, (_, i) => `e${i}:${minutes(one, one * 1.12)}`);
    if (shape === 2) add('play-all', ...episodes);
    episodes.forEach((e) => add('episode', e));
    routes.push(offers(1, 1, true), ...episodes.slice(1).map((_, i) => offers(i + 2, i + 2)));
  }
  for (let n = random.int(5); n > 0; n--) add('extra', `x${n}:${minutes(1, 12)}`);
  if (random.int(2)) add('short', `logo:${(0.05 + random.int(40) / 1000).toFixed(3)}`);
  return { titles, routes, truth };
}

test('confidence means something: over generated discs, what is claimed with more of it is right more often', () => {
  const bins = new Map<number, { claimed: number; right: number; of: number }>();
  let wrong = 0;
  let all = 0;
  for (let seed = 0; seed < 600; seed++) {
    const { titles, routes, truth } = generated(seeded(seed));
    findRoles(sketchReading(titles, routes)).titles.forEach((finding, i) => {
      all++;
      const right = finding.role === truth[i];
      if (!right) wrong++;
      const bin = Math.min(9, Math.floor(finding.confidence * 10));
      const sum = bins.get(bin) ?? { claimed: 0, right: 0, of: 0 };
      bins.set(bin, { claimed: sum.claimed + finding.confidence, right: sum.right + Number(right), of: sum.of + 1 });
    });
  }
  const table = [...bins]
    .sort(([a], [b]) => a - b)
    .map(([bin, { claimed, right, of }]) => ({ bin: bin / 10, claimed: claimed / of, right: right / of, of }));
  console.table(table); // the calibration, claimed against right
  expect(wrong / all).toBeLessThan(0.03);
  // Nothing is claimed more surely than it is right, by more than a tenth.
  for (const { claimed, right, of } of table) if (of >= 30) expect(right).toBeGreaterThan(claimed - 0.1);
});
