import { divideEncode, planEncode, SHIPPED, whyWhole, type EncodeFacts, type Recipe, type SourcePicture } from '.';
import { factsOf } from '@/test-support/encodes';
import { seeded } from '@/test-support/random';

const access = SHIPPED[0] as Recipe;
const facts = (scan: 'progressive' | 'film with pulldown', forced = false): EncodeFacts => ({
  ...factsOf({}, { scan, combed: scan === 'progressive' ? 0 : 0.4 }),
  subtitles: forced ? [{ codec: 'VobSub', forced }] : [],
});

const uniform = (seed: number) => {
  const random = seeded(seed);
  return () => random.int(1e9) / 1e9;
};

/** Pictures of a film with entry points at odd places, times rounded as files round them, and now and then a gap. */
function film(random: () => number): SourcePicture[] {
  const pictures: SourcePicture[] = [];
  let ms = random() * 50;
  for (let i = 0; i < 2000; i++) {
    pictures.push({ ms: Math.round(ms), key: i === 0 || random() < 0.07 });
    ms += random() < 0.005 ? 400 : 1001 / 30;
  }
  return pictures;
}

test('whatever the film: each picture is in one piece, and reading begins before its piece does', () => {
  for (let seed = 1; seed <= 60; seed++) {
    const random = uniform(seed);
    const pictures = film(random);
    const restored = seed % 2 === 0;
    const plan = planEncode(access, facts(restored ? 'film with pulldown' : 'progressive'));
    const pieces = divideEncode(plan, pictures, 2000 + random() * 20_000);
    expect(pieces.length).toBeGreaterThan(1);
    const counts = pieces.map(
      (p) => pictures.filter(({ ms }) => (p.fromMs === null || ms >= p.fromMs) && (p.toMs === null || ms < p.toMs)).length,
    );
    expect(counts.reduce((a, b) => a + b)).toBe(pictures.length);
    let first = 0;
    for (const [i, piece] of pieces.entries()) {
      expect(piece.fromMs).toBe(pieces[i - 1]?.toMs ?? null);
      const count = counts[i] ?? 0;
      if (restored) expect([first % 5, piece.leastFrames <= count * 0.8, piece.mostFrames >= count * 0.8]).toEqual([0, true, true]);
      else expect([piece.leastFrames, piece.mostFrames]).toEqual([count, count]);
      if (piece.fromMs !== null && piece.seekMs !== null) {
        expect(piece.seekMs).toBeLessThan(piece.warmUpMs ?? 0);
        expect(piece.warmUpMs ?? 0).toBeLessThan(piece.fromMs - 1500);
        expect(pictures.find((p) => p.ms === piece.seekMs)?.key).toBe(true);
        if (restored) expect(pictures.filter((p) => p.ms < (piece.warmUpMs ?? 0)).length % 5).toBe(0);
      }
      first += count;
    }
  }
});

test('what can not be divided is one piece: copied pictures, and such as subtitles are drawn into', () => {
  const pictures = film(uniform(1));
  const copied = planEncode({ ...access, container: 'Matroska', video: { ...access.video, codec: 'as it is' } }, facts('progressive'));
  const drawn = planEncode({ ...access, subtitles: { kept: 'all', drawn: 'forced' } }, facts('progressive', true));
  expect([whyWhole(copied), whyWhole(drawn)]).toEqual(['copied', 'drawn']);
  for (const plan of [copied, drawn]) expect(divideEncode(plan, pictures, 1000)).toHaveLength(1);
  expect(divideEncode(planEncode(access, facts('progressive')), pictures.slice(0, 1), 1000)).toHaveLength(1);
  // Film whose pulldown is in part only flagged: two fields, three, two, three.
  const uneven = pictures.map(({ key }, i) => ({ key, ms: i < 300 ? Math.round((i * 1001) / 24 + (i % 2) * 8) : 12_500 + (i - 300) * 33 }));
  expect(divideEncode(planEncode(access, facts('film with pulldown')), uneven, 1000)).toHaveLength(1);
  expect(divideEncode(planEncode(access, facts('progressive')), uneven, 1000).length).toBeGreaterThan(1);
  expect(divideEncode(planEncode(access, facts('progressive')), [], 1000)).toHaveLength(1);
});
