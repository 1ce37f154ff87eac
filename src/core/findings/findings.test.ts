import type { TitleRoute } from '../reading';
import { seeded } from '@/test-support/random';
import { offers, plays, sketchReading } from '@/test-support/readings';
import { compareTitles, findRoles, layoutMap, type Findings } from '.';

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

describe('cuts, versions and decoys', () => {
  const playsIndexed = (title: number): TitleRoute => ({ title, by: 'index', menus: 1, button: 1, selected: false });

  test('another cut: what it shares, how much longer it is, and where they differ', () => {
    const findings = findRoles(
      sketchReading([{ parts: ['a:30', 'b:4', 'c:40'] }, { parts: ['a:30', 'x:6', 'c:40', 'y:1'] }, { parts: ['e:5'] }], [plays(1)]),
    );
    expect(roles(findings)).toEqual(['main', 'cut', 'extra']);
    expect(findings.titles[1]?.evidence.slice(0, 2)).toMatchObject([
      { kind: 'shares', titles: [1], value: 95 },
      { kind: 'longer by', titles: [1], value: 3 * 60_000 },
    ]);
    expect(findings.titles[1]?.differences).toEqual([
      { atMs: 30 * 60_000, ms: 6 * 60_000, otherAtMs: 30 * 60_000, otherMs: 4 * 60_000 },
      { atMs: 76 * 60_000, ms: 60_000, otherAtMs: 74 * 60_000, otherMs: 0 },
    ]);
    expect(findings.titles[0]?.confidence).toBeGreaterThan(0.9); // its own cut is no rival
  });

  test('an extra that only borrows a scene is no cut', () => {
    expect(roles(findRoles(sketchReading([{ parts: ['a:30', 'b:30'] }, { parts: ['b:30', 'talk:300'] }], [plays(1)])))).not.toContain(
      'cut',
    );
    expect(roles(findRoles(sketchReading([{ parts: ['a:60', 'b:2'] }, { parts: ['b:2', 'talk:20'] }], [plays(1)])))).toEqual([
      'main',
      'extra',
    ]);
  });

  test('the same segments with other tracks are a version; under other addresses with the same samples a duplicate', () => {
    const [, version] = findRoles(
      sketchReading([
        { parts: ['a:30'], audio: 2 },
        { parts: ['a:30'], audio: 1 },
      ]),
    ).titles;
    expect(version).toMatchObject({ role: 'version', evidence: [{ kind: 'same segments', titles: [1] }, { kind: 'other tracks' }] });
    const [, twin, other] = findRoles(
      sketchReading([
        { parts: ['a:30'], sample: 's' },
        { parts: ['b:30'], sample: 's' },
        { parts: ['c:30'], sample: 't' },
      ]),
    ).titles;
    expect(twin).toMatchObject({ role: 'duplicate', evidence: [{ kind: 'same content', titles: [1] }] });
    expect(other?.role).not.toBe('duplicate');
  });

  test('of forty orders of the same parts the one is true whose time stamps run on, wherever it stands', () => {
    const parts = ['a', 'b', 'c', 'd', 'e', 'f'];
    const orders = Array.from({ length: 40 }, (_, seed) => {
      const random = seeded(seed);
      const rest = [...parts];
      return Array.from({ length: 6 }, () => rest.splice(random.int(rest.length), 1)[0] ?? '');
    });
    orders[23] = parts;
    const base = sketchReading(orders.map((o) => ({ parts: o, chapters: 2 })));
    const clips = {
      ...base,
      segments: base.segments.map(({ id, firstSector, lastSector, discSector, durationMs }) => ({
        ...{ kind: 'clip' as const, id, content: id, firstSector, lastSector, discSector, durationMs, stillSeconds: 0 },
        ...{ in90k: parts.indexOf(id) * 5_400_000, out90k: (parts.indexOf(id) + 1) * 5_400_000, firstPacket: 0, endPacket: 9 },
      })),
    };
    const findings = findRoles(clips);
    expect(findings.mainTitle).toBe(24);
    expect(roles(findings).filter((r) => r === 'decoy').length).toBeGreaterThanOrEqual(36);
    expect(findings.titles[23]?.evidence.slice(0, 2)).toMatchObject([{ kind: 'true order' }, { kind: 'time runs on', value: 100 }]);
    expect(findings.titles[0]?.evidence[0]).toMatchObject({ kind: 'shuffled', titles: [24] });
    // Where navigation says otherwise and the stamps say nothing, navigation decides.
    expect(findRoles({ ...base, routes: [playsIndexed(12)] }).mainTitle).toBe(12);
  });

  test('a little material over and over is a decoy, however long it lasts', () => {
    const findings = findRoles(
      sketchReading([{ parts: Array.from({ length: 60 }, (_, i) => `loop${i % 3}:3`) }, { parts: ['a:50', 'b:40'] }]),
    );
    expect(roles(findings)).toEqual(['decoy', 'main']);
    expect(findings.titles[0]?.evidence[0]).toMatchObject({ kind: 'repeats itself', value: 95 });
  });

  test('a few orders of the same parts are not called decoys', () => {
    expect(
      roles(findRoles(sketchReading([{ parts: ['a', 'b', 'c'] }, { parts: ['b', 'a', 'c'] }, { parts: ['c', 'a', 'b'] }]))),
    ).not.toContain('decoy');
  });
});

describe('series without a play-all', () => {
  test('three or more titles of like length that share nothing are episodes, in the disc’s order', () => {
    const findings = findRoles(sketchReading([{ parts: ['x:3'] }, { parts: ['a:42'] }, { parts: ['b:45'] }, { parts: ['c:40'] }]));
    expect(findings.kind).toBe('series');
    expect(roles(findings)).toEqual(['extra', 'episode', 'episode', 'episode']);
    expect(findings.titles.slice(1).map((f) => f.evidence[0]?.value)).toEqual([1, 2, 3]);
  });

  test('but not where one title stands out, or where they share material', () => {
    expect(findRoles(sketchReading([{ parts: ['f:100'] }, { parts: ['a:20'] }, { parts: ['b:20'] }, { parts: ['c:20'] }])).kind).toBe(
      'film',
    );
    expect(findRoles(sketchReading([{ parts: ['s:30', 'a:12'] }, { parts: ['s:30', 'b:12'] }, { parts: ['s:30', 'c:12'] }])).kind).toBe(
      'film',
    );
  });

  test('chapters that divide one long title into works of like length', () => {
    const findings = findRoles(sketchReading([{ parts: ['a:40', 'b:42', 'c:38'] }, { parts: ['x:2'] }]));
    expect(findings.titles[0]).toMatchObject({ role: 'main', divisions: [1, 2, 3] });
    expect(findRoles(sketchReading([{ parts: ['a:40', 'b:4', 'c:38'] }])).titles[0]?.divisions).toEqual([]);
  });
});

test('a loop that only the menus lead to is a menu', () => {
  const findings = findRoles(sketchReading([{ parts: ['m:20'] }, { parts: ['f:15', 'g:15'] }], [{ ...plays(1), menus: 1 }, plays(2)]));
  expect(roles(findings)).toEqual(['menu', 'main']);
});

test('comparing is the same from either side, and shared time and differences make up the whole', () => {
  for (let seed = 0; seed < 120; seed++) {
    const random = seeded(seed);
    const some = () => Array.from({ length: 1 + random.int(9) }, () => `${random.pick(['a', 'b', 'c', 'd', 'e'])}:${1 + random.int(3)}`);
    const reading = sketchReading([{ parts: some() }, { parts: some() }]);
    const segments = new Map(reading.segments.map((s) => [s.id, s]));
    const [a, b] = reading.titles;
    if (!a || !b) throw new Error('no titles');
    const [there, back] = [compareTitles(a, b, segments), compareTitles(b, a, segments)];
    expect(there.sharedMs).toBe(back.sharedMs);
    expect(there.sharedMs + there.differences.reduce((s, d) => s + d.ms, 0)).toBe(a.durationMs);
    expect(there.sharedMs + there.differences.reduce((s, d) => s + d.otherMs, 0)).toBe(b.durationMs);
    expect(compareTitles(a, a, segments)).toEqual({ sharedMs: a.durationMs, differences: [] });
  }
});

test('a thousand playlists are concluded on in a number of steps that a test can wait for', () => {
  const parts = Array.from({ length: 40 }, (_, i) => `p${i}`);
  const titles = Array.from({ length: 1000 }, (_, seed) => {
    const random = seeded(seed);
    const rest = [...parts];
    return { parts: Array.from({ length: 40 }, () => rest.splice(random.int(rest.length), 1)[0] ?? '') };
  });
  const findings = findRoles(sketchReading(titles, [plays(500)]));
  expect(findings.mainTitle).toBe(500);
  expect(roles(findings).filter((r) => r === 'decoy')).toHaveLength(999);
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
  const parts = Array.from({ length: 99 }, (_, i) => `p${i}`);
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
