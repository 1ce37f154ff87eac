import { offers, plays, sketchReading } from '@/test-support/readings';
import { findRoles, layoutMap, type Findings } from '.';

const roles = (findings: Findings) => findings.titles.map((f) => f.role);

describe('the main title', () => {
  test('is not simply the longest: where first play and menus lead counts', () => {
    // A menu loop of 50 minutes, made of one segment, against a film that the disc plays by itself.
    const reading = sketchReading(
      [
        { parts: ['loop:50'], audio: 1 },
        { parts: ['a:15', 'b:15', 'c:15'], audio: 3, subtitles: 2 },
      ],
      [plays(2)],
    );
    const findings = findRoles(reading);
    expect(findings.mainTitle).toBe(2);
    expect(findings.titles[1]?.evidence.map((e) => e.kind)).toEqual(expect.arrayContaining(['first play', 'most chapters', 'most audio']));
    expect(findings.titles[0]?.evidence.map((e) => e.kind)).toContain('no route');
  });

  test('is the longest where nothing else speaks against it, and surely so where nothing rivals it', () => {
    const findings = findRoles(sketchReading([{ parts: ['x:2'] }, { parts: ['a:30', 'b:30'] }]));
    expect(findings).toMatchObject({ mainTitle: 2, kind: 'film' });
    expect(findings.titles[1]?.confidence).toBeGreaterThan(0.9);
  });

  test('two that are alike are a toss, and it is said', () => {
    const findings = findRoles(sketchReading([{ parts: ['a:30'] }, { parts: ['b:30'] }], [offers(1, 1), offers(2, 2)]));
    expect(findings.mainTitle).toBe(1);
    expect(findings.titles[0]?.confidence).toBeCloseTo(0.5, 1);
  });

  test('points add up from the table of weights, strongest evidence first', () => {
    const [, best] = findRoles(sketchReading([{ parts: ['x:2'] }, { parts: ['a:30', 'b:30'], audio: 2 }], [offers(2, 1, true)])).titles;
    const points = best?.evidence.map((e) => e.points) ?? [];
    expect(points).toEqual([...points].sort((a, b) => b - a));
    expect(best?.score).toBeGreaterThan(80);
    expect(best?.score).toBeLessThanOrEqual(100);
  });
});

describe('titles that repeat others', () => {
  test('the same segments are a duplicate, marked as such, and never the main title', () => {
    const findings = findRoles(sketchReading([{ parts: ['a', 'b'] }, { parts: ['a', 'b'] }, { parts: ['b', 'a'] }]));
    expect(findings.titles[1]).toMatchObject({ role: 'duplicate', confidence: 1, evidence: [{ kind: 'same segments', titles: [1] }] });
    expect(roles(findings)[2]).not.toBe('duplicate');
  });

  test('equal lengths alone make no duplicate', () => {
    expect(roles(findRoles(sketchReading([{ parts: ['a:10'] }, { parts: ['b:10'] }])))).toEqual(['main', 'extra']);
  });

  test('a play-all and its episodes, in its order', () => {
    const findings = findRoles(
      sketchReading([{ parts: ['c:20'] }, { parts: ['a:21', 'b:20', 'c:20'] }, { parts: ['a:21'] }, { parts: ['b:20'] }]),
    );
    expect(findings.kind).toBe('series');
    expect(roles(findings)).toEqual(['episode', 'play-all', 'episode', 'episode']);
    expect(findings.titles[1]?.evidence[0]).toMatchObject({ kind: 'contains', titles: [3, 4, 1], value: 100 });
    expect(findings.titles.map((f) => f.evidence[0]?.value)).toEqual([3, 100, 1, 2]);
  });

  test('parts of very different length are extras in a row, not a series', () => {
    const findings = findRoles(sketchReading([{ parts: ['a:40', 'b:3'] }, { parts: ['a:40'] }, { parts: ['b:3'] }]));
    expect(findings.kind).toBe('film');
    expect(roles(findings)).toEqual(['play-all', 'part', 'part']);
  });

  test('segments that only look alike by name are not taken for each other', () => {
    expect(roles(findRoles(sketchReading([{ parts: ['a1:10', 'a2:10'] }, { parts: ['a:10'] }])))).toEqual(['main', 'extra']);
  });
});

test('what can not be taken is said to be so, and a disc of nothing else has no main title', () => {
  const findings = findRoles(
    sketchReading([{ parts: ['a:30'], state: 'scrambled' }, { parts: ['b:5'], state: 'cut short' }, { parts: ['c:0.05'] }]),
  );
  expect(findings.titles.map((f) => [f.role, f.evidence[0]?.kind])).toEqual([
    ['unusable', 'protected'],
    ['unusable', 'cut short'],
    ['short', 'very short'],
  ]);
  expect(findings).toMatchObject({ mainTitle: null, outOfReach: 1, kind: 'nothing usable' });
  expect(findRoles(sketchReading([]))).toEqual({ mainTitle: null, outOfReach: null, kind: 'nothing usable', titles: [] });
});

test('where the main title is out of reach, no other is passed off as it', () => {
  const reading = sketchReading(
    [{ parts: ['a:90', 'b:10'], state: 'scrambled', audio: 3 }, { parts: ['c:5'] }, { parts: ['d:4'] }],
    [offers(1, 1, true), offers(2, 2)],
  );
  const findings = findRoles(reading);
  expect(findings).toMatchObject({ mainTitle: null, outOfReach: 1, kind: 'film' });
  expect(roles(findings)).toEqual(['unusable', 'extra', 'extra']);
  expect(findings.titles[0]?.evidence[0]?.kind).toBe('protected');
});

test('a disc with 99 titles of 99 parts is concluded on without delay in the number of titles', () => {
  const parts = Array.from({ length: 99 }, (_, i) => `p${String(i)}`);
  const findings = findRoles(sketchReading([{ parts }, ...parts.slice(1).map((p) => ({ parts: [p] }))]));
  expect(findings.titles).toHaveLength(99);
});

describe('the map', () => {
  const reading = sketchReading([{ parts: ['a:10', 'b:10'] }, { parts: ['a:10'] }, { parts: ['b:10'] }, { parts: ['x:5'] }]);
  const findings = findRoles(reading);

  test('shared material has one identity in every lane', () => {
    const { lanes } = layoutMap(reading, findings, 'place');
    const contents = lanes.map((l) => l.blocks.map((b) => b.content));
    expect(contents[0]).toEqual([contents[1]?.[0], contents[2]?.[0]]);
    expect(new Set(contents.flat()).size).toBe(3);
    expect(lanes[0]?.blocks.every((b) => b.shared)).toBe(true);
    expect(lanes[3]?.blocks[0]?.shared).toBe(false);
  });

  test.each(['place', 'time'] as const)('blocks and chapter marks by %s stay on the axis, in order, without overlap', (axis) => {
    const { lanes, axisLength } = layoutMap(reading, findings, axis);
    expect(axisLength).toBe(axis === 'time' ? 20 * 60_000 : 3 * 5000 * 2048);
    for (const lane of lanes) {
      lane.blocks.forEach((block, i) => {
        expect(block.from).toBeGreaterThanOrEqual(i === 0 ? 0 : (lane.blocks[i - 1]?.to ?? 0) - 1e-9);
        expect(block.to).toBeGreaterThan(block.from);
        expect(block.to).toBeLessThanOrEqual(1 + 1e-9);
      });
      for (const tick of lane.ticks) expect(tick).toBeGreaterThan(0);
    }
    expect(lanes[0]?.ticks).toHaveLength(1);
  });

  test('what no title leads to has its place on the disc, and none in playing time', () => {
    const stretch = {
      id: 'l',
      content: 'VTS_01',
      firstSector: 15_000,
      lastSector: 16_999,
      discSector: 16_000,
      durationMs: null,
      chain: null,
    };
    const { loose, lanes } = layoutMap({ ...reading, loose: [stretch] }, findings, 'place');
    expect(loose).toEqual([expect.objectContaining({ to: 1, stretch })]);
    expect(loose[0]?.from).toBeGreaterThan(Math.max(...lanes.flatMap((l) => l.blocks.map((b) => b.to))) - 1e-9);
    expect(layoutMap({ ...reading, loose: [stretch] }, findings, 'time').loose).toEqual([]);
  });
});
