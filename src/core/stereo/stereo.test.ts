import { TINY, asSecondView, randomMoments, randomStream, streamOf } from '@/test-support/coded-streams';
import { seeded } from '@/test-support/random';
import { PAIRS, decodedPictures, rewritten, samplePair, unitsOf } from '@/test-support/two-views';
import { DiscError } from '../bytes';
import { Rewriter } from './rewriter';
import { depthOf, eyeOrderOf, reachBelow, type EyePair } from './disparity';
import { View, type Picture } from './view';

/** Pictures without copies: each of these is the base picture once more, between both of its moment. @throws where it is not. */
function withoutCopies(
  found: readonly string[],
  [base, dependent]: readonly [readonly string[], readonly string[]],
): { left: string[]; right: string[]; copies: number } {
  const rest = [...found];
  const [left, right]: [string[], string[]] = [[], []];
  let copies = 0;
  for (const [i] of base.entries()) {
    left.push(rest.shift() ?? '');
    if (rest[0] !== dependent[i] && rest[0] === left.at(-1)) copies += rest.shift() ? 1 : 0;
    right.push(rest.shift() ?? '');
  }
  return { left, right, copies };
}

describe('both views as one stream', () => {
  test.each(PAIRS)('%s: FFmpeg decodes every picture of both views as their encoder had them', (name) => {
    const { units, sums } = samplePair(name);
    const { stream, met } = rewritten(units);
    const { sums: found, complaints } = decodedPictures(stream);
    expect(complaints).toBe('');
    expect(found).toHaveLength(2 * units.length + met.copies);
    expect(withoutCopies(found, sums)).toEqual({ left: sums[0], right: sums[1], copies: met.copies });
    expect(met).toMatchObject({ accessUnits: units.length, substitutes: 0, leading: 0, gaps: 0 });
    expect(met.copies > 0).toBe(name === 'needs-copies');
  });
});

describe('what encoders at hand never write', () => {
  test.each(Array.from({ length: 24 }, (_, i) => i))('random references %i: both views are what FFmpeg makes of each alone', (seed) => {
    const random = seeded(seed * 7919 + 1);
    const orderType = (seed % 3) as 0 | 1 | 2;
    const hasGaps = seed % 4 === 3 && orderType !== 2;
    const shape = () => ({
      orderType,
      ...{ frameNumBits: 4 + random.int(4), orderBits: 7 + random.int(3), references: (hasGaps ? 2 : 1) + random.int(3) },
      ...{ gaps: hasGaps, longTerm: seed % 2 === 1 },
    });
    const moments = randomMoments(random, 40, orderType !== 2, seed % 5 > 2);
    const [left, right] = [randomStream(random, moments, shape()), randomStream(random, moments, shape())];
    const second = asSecondView(right);
    const { stream, met } = rewritten(left.pictures.map((units, i) => [...units, ...(second.pictures[i] ?? [])]));
    const alone = [left, right].map((s) => decodedPictures(streamOf(s), TINY));
    const both = decodedPictures(stream, TINY);
    expect([alone[0]?.complaints, alone[1]?.complaints, both.complaints]).toEqual(['', '', '']);
    expect([alone[0]?.sums.length, alone[1]?.sums.length]).toEqual([moments.length, moments.length]);
    expect(both.sums.filter((_, i) => i % 2 === 0)).toEqual(alone[0]?.sums);
    expect(both.sums.filter((_, i) => i % 2 === 1)).toEqual(alone[1]?.sums);
    expect(met).toMatchObject({ accessUnits: moments.length, substitutes: 0 });
  });
});

describe('what makes the difference', () => {
  afterEach(() => jest.restoreAllMocks());
  const right = (name: (typeof PAIRS)[number]): { found: string[]; wanted: readonly string[] } => {
    const { units, sums } = samplePair(name);
    const found = decodedPictures(rewritten(units).stream).sums;
    return { found: found.filter((_, i) => i % 2 === 1), wanted: sums[1] };
  };

  test('another picture in place of the first view’s gives other pictures', () => {
    // eslint-disable-next-line @typescript-eslint/unbound-method -- called with the view that it is of
    const { lists } = View.prototype;
    jest.spyOn(View.prototype, 'lists').mockImplementation(function (this: View, picture, header, base) {
      const [first, second] = lists.call(this, picture, header, base);
      const other = this.refs.find((p) => !p.broken) ?? null;
      return [first.map((p) => (base && p === base ? (other ?? base) : p)), second];
    });
    const { found, wanted } = right('p-cabac');
    expect(found.filter((sum, i) => sum !== wanted[i]).length).toBeGreaterThan(wanted.length / 2);
  });

  test('orders of their own for both views give other pictures, where weights come from distances', () => {
    const ordersOf = jest.spyOn(Rewriter.prototype as unknown as { ordersOf: (p: Picture, view: 0 | 1) => [number, number] }, 'ordersOf');
    ordersOf.mockImplementation((p, view) => [2 * p.top + view, 2 * p.bottom + view]);
    const { found, wanted } = right('b-implicit');
    expect(found).not.toEqual(wanted);
  });

  test('without copies, pictures that need them are others', () => {
    jest.spyOn(Rewriter.prototype as unknown as { copy: () => void }, 'copy').mockImplementation(() => undefined);
    const { found, wanted } = right('needs-copies');
    expect(found).toHaveLength(wanted.length);
    expect(found).not.toEqual(wanted);
  });
});

describe('streams that are not whole', () => {
  const kindOf = (unit: Uint8Array) => (unit[0] ?? 0) & 31;
  const isSecond = (unit: Uint8Array) => [15, 20, 24].includes(kindOf(unit));
  const pairsOf = (sums: readonly string[]) => sums.flatMap((_, i) => (i % 2 === 0 ? [sums.slice(i, i + 2)] : []));

  test('a second view that lacks units is shown as the first there, and is right again where it can be; pairs stay pairs', () => {
    const { units, sums } = samplePair('p-cabac');
    const lost = units.map((access, i) => (i === 10 || i === 17 ? access.filter((u) => !isSecond(u)) : access));
    const { stream, met } = rewritten(lost);
    const { sums: found, complaints } = decodedPictures(stream);
    expect(complaints).toBe('');
    expect(found.filter((_, i) => i % 2 === 0)).toEqual(sums[0]);
    const pairs = pairsOf(found);
    expect(pairs).toHaveLength(units.length);
    // Every picture of the second view is the one that it was, or plainly the first view’s: never a spoilt one.
    expect(pairs.every(([left, right], i) => right === sums[1][i] || right === left)).toBe(true);
    expect(pairs.slice(0, 10).map(([, right]) => right)).toEqual(sums[1].slice(0, 10));
    expect(met.substitutes).toBe(pairs.filter(([left, right]) => left === right).length);
    expect(met.substitutes).toBeGreaterThanOrEqual(2);
  });

  test('a second view that begins late', () => {
    const { units, sums } = samplePair('b-temporal-cavlc');
    const late = units.map((access, i) => (i < 3 ? access.filter((u) => !isSecond(u)) : access));
    const { stream, met } = rewritten(late);
    const { sums: found } = decodedPictures(stream);
    expect(found.filter((_, i) => i % 2 === 0)).toEqual(sums[0]);
    expect(met.accessUnits).toBe(units.length);
    expect(pairsOf(found).every(([left, right], i) => right === left || right === sums[1][i])).toBe(true);
  });

  test.each(PAIRS)('%s: whatever is changed in it, there are pairs, or a reason', (name) => {
    const random = seeded(name.length);
    const { units } = samplePair(name);
    for (let round = 0; round < 150; round++) {
      const changed = units.slice(0, 12).flatMap((access) => {
        const all = access.flatMap((unit) => {
          const what = random.int(40);
          if (what === 0) return [];
          if (what === 1) return [unit, unit];
          // Mostly heads: what stands in slices is the decoder’s.
          if (what < 6) {
            const copy = unit.slice();
            for (let k = 0; k <= random.int(3); k++) copy[random.int(Math.min(copy.length, 24))] = random.int(256);
            return [random.int(5) === 0 ? copy.subarray(0, random.int(copy.length)) : copy];
          }
          return [unit];
        });
        return random.int(30) === 0 ? [] : [all];
      });
      try {
        const { roles, stream, met } = rewritten(changed);
        expect(roles.filter((r) => r === 'base').length).toBe(met.accessUnits);
        expect(roles.filter((r) => r === 'dependent').length).toBe(met.accessUnits);
        expect(unitsOf(stream).length).toBeLessThan(2000);
      } catch (error) {
        expect(error).toBeInstanceOf(DiscError);
        expect(['unsupported', 'bad-structure']).toContain((error as DiscError).code);
      }
    }
  });

  test('what can not be decoded this way is refused by name', () => {
    const { units } = samplePair('p-cabac');
    const random = seeded(3);
    const moments = randomMoments(random, 60, true, false);
    const shape = { orderType: 0 as const, frameNumBits: 8, orderBits: 10, gaps: false, longTerm: false };
    const many = [16, 16].map((references) =>
      randomStream(
        random,
        moments.map((m) => ({ ...m, idr: m.idr && m === moments[0], reference: true })),
        { ...shape, references },
      ),
    );
    const second = asSecondView(many[1] as (typeof many)[number]);
    expect(() => rewritten((many[0] as (typeof many)[number]).pictures.map((u, i) => [...u, ...(second.pictures[i] ?? [])]))).toThrow(
      /more than 16/,
    );
    // The second view of another pair has another size.
    const other = asSecondView(randomStream(random, randomMoments(random, 12, false, false), { ...shape, references: 2 }));
    expect(() => rewritten(units.map((u, i) => [...u.filter((x) => !isSecond(x)), ...(other.pictures[i] ?? [])]))).toThrow(
      /differ in the width/,
    );
  });
});

describe('depth', () => {
  /** A wall of random dots, of which rows lie at distances that are known: percent of the width by row. */
  function scene(seed: number, depthAt: (row: number) => number): EyePair {
    const random = seeded(seed);
    const [width, height] = [320, 180];
    const [left, right] = [new Uint8Array(width * height), new Uint8Array(width * height)];
    for (let y = 0; y < height; y++) {
      const shift = Math.round((depthAt(y) / 100) * width);
      const row = Array.from({ length: width + 80 }, () => random.int(256));
      for (let x = 0; x < width; x++) {
        left[y * width + x] = row[x + 40] ?? 0;
        right[y * width + x] = row[x + 40 - shift] ?? 0;
      }
    }
    return { left, right, width, height };
  }
  const far = scene(1, (y) => (y < 90 ? 2.5 : -1.25));

  test('what is how far is measured in percent of the width; nothing is said of pictures without edges', () => {
    expect(depthOf(far)).toEqual({ above: 2.5, below: -1.25, nearest: -1.25, farthest: -1.25 });
    const flat = new Uint8Array(320 * 180).fill(90);
    expect(depthOf({ left: flat, right: flat, width: 320, height: 180 })).toBeNull();
    // Two pictures that have nothing to do with each other.
    expect(depthOf({ ...far, right: scene(2, () => 0).right })).toBeNull();
  });

  test('what is nearest and what is farthest where subtitles stand, over all pictures; with the eyes swapped it is the other way round', () => {
    const rising = scene(3, (y) => (y < 120 ? 2.5 : y < 152 ? 0.625 : -2.5));
    const swapped = { ...rising, left: rising.right, right: rising.left };
    expect(reachBelow([depthOf(far), null, depthOf(rising)])).toEqual({ nearest: -2.5, farthest: 0.625 });
    expect(reachBelow([depthOf(swapped)])).toEqual({ nearest: -0.625, farthest: 2.5 });
    expect(reachBelow([null])).toBeNull();
  });

  test('the other way round, the sky stands before the ground', () => {
    const SAYS_NOTHING = { nearest: 0, farthest: 0 };
    const swapped = depthOf({ ...far, left: far.right, right: far.left });
    expect(eyeOrderOf([depthOf(far), swapped, swapped, null, { ...SAYS_NOTHING, above: 1, below: 0.9 }])).toEqual({ told: 3, swapped: 2 });
  });
});
